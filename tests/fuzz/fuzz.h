/* SPDX-License-Identifier: Apache-2.0 */
/* A fuzz target reads any bytes and stops the process where something is not as it must be. libFuzzer drives
 * it in the preset `fuzz`; in all other builds replay.c runs the corpus through it. */
#ifndef TESTS_FUZZ_H
#define TESTS_FUZZ_H

#include <stddef.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

#define must(condition)                                                                                      \
    do {                                                                                                     \
        if (!(condition)) {                                                                                  \
            fprintf(stderr, "%s:%d: not so: %s\n", __FILE__, __LINE__, #condition);                          \
            abort();                                                                                         \
        }                                                                                                    \
    } while (0)

/* For a target that needs a file: its name, removed at the end. */
extern const char *fuzz_temporary;
void fuzz_tidy(void);

#endif
