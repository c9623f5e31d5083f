// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
/// Marks a hot row function: the compiler builds it twice, for any x86-64 and for processors with AVX2 and
/// FMA, and the loader picks one. By level, not by model: "arch=haswell"
/// would be that one model only. Sanitizers start before the loader's choice can run, so there it is built
/// once.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_ADDRESS__) && \
    !defined(__SANITIZE_THREAD__)
#define MOORHAZE_CLONES __attribute__((target_clones("default", "arch=x86-64-v3")))
#else
#define MOORHAZE_CLONES
#endif
