/* SPDX-License-Identifier: Apache-2.0 */
/* Reads an open file at an offset. */
#ifndef OLV_OS_READING_H
#define OLV_OS_READING_H

#include "olvido/error.h"

#include <stddef.h>
#include <stdint.h>

/* Reads exactly `len` bytes at offset `at`; thread-safe. OLV_CHANGED if the file is shorter, because it was
 * cut. */
bool reading_at(int fd, void *out, size_t len, uint64_t at, struct olv_error *err);
/* The same through a pointer to the descriptor, as a generic source. */
bool reading_source(void *fd, void *out, size_t len, uint64_t at, struct olv_error *err);

#endif
