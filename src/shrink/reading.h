/* SPDX-License-Identifier: Apache-2.0 */
/* An open file as a source of packed bytes. */
#ifndef OLV_SHRINK_READING_H
#define OLV_SHRINK_READING_H

#include "pack/source.h"

struct reading {
    int fd;
};

/* Reads exactly `len` bytes from `at` on. OLV_CHANGED where the file ends before: it was cut meanwhile. */
bool reading_at(int fd, void *out, size_t len, uint64_t at, struct olv_error *err);
/* The same for struct pack_source, over a struct reading. */
bool reading_source(void *self, void *out, size_t len, uint64_t at, struct olv_error *err);

#endif
