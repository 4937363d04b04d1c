/* SPDX-License-Identifier: Apache-2.0 */
/* Reading an open file at a place. */
#ifndef OLV_FILE_READING_H
#define OLV_FILE_READING_H

#include "olvido/error.h"

#include <stddef.h>
#include <stdint.h>

/* Reads exactly `len` bytes from `at` on; threads may do so at once. OLV_CHANGED where the file ends before:
 * it was cut meanwhile. */
bool reading_at(int fd, void *out, size_t len, uint64_t at, struct olv_error *err);
/* The same with a pointer to the descriptor, for those who read from anything. */
bool reading_source(void *fd, void *out, size_t len, uint64_t at, struct olv_error *err);

#endif
