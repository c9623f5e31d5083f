# SPDX-License-Identifier: GPL-3.0-or-later
# What every target of the project shares. No global flags: a target asks for these by name; but all are linked alike.
if(MOORHAZE_FAST_LINKER)
    include(CheckLinkerFlag)
    check_linker_flag(CXX -fuse-ld=lld MOORHAZE_HAS_LLD)
    if(MOORHAZE_HAS_LLD)
        add_link_options(-fuse-ld=lld)
    endif()
endif()

# OPTIMISE: the compiler's level in a release, where neither pictures are computed nor drawn and -O3 would only take time.
function(moorhaze_target name)
    cmake_parse_arguments(PARSE_ARGV 1 target "" "OPTIMISE" "")
    if(target_OPTIMISE)
        target_compile_options(${name} PRIVATE $<$<CONFIG:Release>:${target_OPTIMISE}>)
    endif()
    target_compile_options(${name} PRIVATE -Wall -Wextra -Wpedantic -Wshadow -Wnon-virtual-dtor
                                           -Woverloaded-virtual -Wcast-qual)
    # GCC 12 warns wrongly about std::string's operator+ (its bug 105651).
    if(CMAKE_CXX_COMPILER_ID STREQUAL GNU)
        target_compile_options(${name} PRIVATE -Wno-restrict)
        # And at -Og about what std::stop_token holds (its documentation of -Og warns of it).
        target_compile_options(${name} PRIVATE $<$<CONFIG:Debug>:-Wno-maybe-uninitialized>)
    endif()
    target_include_directories(${name} PUBLIC ${PROJECT_SOURCE_DIR})
    moorhaze_join_units(${name})
endfunction()

# Precompiles the headers that most of a target's files include, where MOORHAZE_PRECOMPILED asks for it: a rebuild after
# one change is mostly their parsing. Every file still includes what it uses; tools/check-alone compiles without them.
function(moorhaze_precompile name)
    if(MOORHAZE_PRECOMPILED)
        target_precompile_headers(${name} PRIVATE ${ARGN})
    endif()
endfunction()

# Compiles a target's sources in joined units of one folder each where MOORHAZE_JOINED_UNITS asks for it: most of a
# unit's time is spent on headers. Names of unnamed namespaces are unique within a folder for it. A large folder makes
# several units, so that both cores of the smallest machine have work.
function(moorhaze_join_units target)
    if(NOT MOORHAZE_JOINED_UNITS)
        return()
    endif()
    set(most_in_a_unit 12)
    get_target_property(sources ${target} SOURCES)
    foreach(source IN LISTS sources)
        if(NOT source MATCHES "\\.cpp$")
            continue()
        endif()
        get_filename_component(folder ${source} DIRECTORY)
        string(MAKE_C_IDENTIFIER "in_${folder}" group)
        math(EXPR unit "${count_${group}} + 0")
        math(EXPR part "${unit} / ${most_in_a_unit}")
        math(EXPR count_${group} "${unit} + 1")
        set_property(SOURCE ${source} PROPERTY UNITY_GROUP "${group}_${part}")
    endforeach()
    set_target_properties(${target} PROPERTIES UNITY_BUILD ON UNITY_BUILD_MODE GROUP)
    # A class that keeps its parts in an unnamed namespace is as hidden in a joined unit as in one of its own.
    target_compile_options(${target} PRIVATE $<$<CXX_COMPILER_ID:GNU>:-Wno-subobject-linkage>)
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
