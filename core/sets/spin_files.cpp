// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/spin_files.h"

// The assembler puts a file's bytes between two names; MOORHAZE_SPIN_DIR is the folder they stand in.
#define MOORHAZE_EMBED(name, file)                                    \
    asm(".section .rodata\n"                                          \
        ".global moorhaze_" #name                                     \
        "\n"                                                          \
        "moorhaze_" #name                                             \
        ":\n"                                                         \
        ".incbin \"" MOORHAZE_SPIN_DIR "/" file                       \
        "\"\n"                                                        \
        ".global moorhaze_" #name                                     \
        "_end\n"                                                      \
        "moorhaze_" #name                                             \
        "_end:\n"                                                     \
        ".byte 0\n"                                                   \
        ".text\n");                                                   \
    extern "C" const char moorhaze_##name[], moorhaze_##name##_end[]; \
    namespace moorhaze {                                              \
    SpinFile name() {                                                 \
        return {file, {moorhaze_##name, moorhaze_##name##_end}};      \
    }                                                                 \
    }

MOORHAZE_EMBED(spin_index, "index.html")
MOORHAZE_EMBED(spin_style, "spin.css")
MOORHAZE_EMBED(spin_script, "spin.js")
MOORHAZE_EMBED(spin_viewer, "viewer/openseadragon.min.js")
MOORHAZE_EMBED(spin_viewer_licence, "viewer/LICENSE.txt")
