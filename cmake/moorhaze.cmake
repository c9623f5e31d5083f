# What every target of the project shares. No global flags: a target asks for these by name.
function(moorhaze_target name)
    target_compile_options(${name} PRIVATE -Wall -Wextra -Wpedantic -Wshadow -Wnon-virtual-dtor
                                           -Woverloaded-virtual -Wcast-qual)
    # GCC 12 warns wrongly about std::string's operator+ (its bug 105651).
    if(CMAKE_CXX_COMPILER_ID STREQUAL GNU)
        target_compile_options(${name} PRIVATE -Wno-restrict)
    endif()
    target_include_directories(${name} PUBLIC ${PROJECT_SOURCE_DIR})
endfunction()

# A test on disk that no target lists would never run.
function(moorhaze_check_tests_listed folder)
    file(GLOB_RECURSE on_disk RELATIVE ${folder} CONFIGURE_DEPENDS ${folder}/*_test.cpp)
    foreach(file IN LISTS on_disk)
        if(NOT file IN_LIST ARGN)
            message(FATAL_ERROR "${folder}/${file} is not listed in a CMakeLists.txt, so it would never run")
        endif()
        # CMake would take a semicolon for the end of the name, and run a test of that name: there is none.
        file(STRINGS ${folder}/${file} names REGEX "TEST_CASE\\(\"[^\"]*;")
        if(names)
            message(FATAL_ERROR "${folder}/${file}: a test's name holds a semicolon, so it would never run")
        endif()
    endforeach()
endfunction()
