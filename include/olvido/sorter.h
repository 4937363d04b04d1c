/* SPDX-License-Identifier: Apache-2.0 */
/* Sorts any number of records in fixed memory: sorted runs in an unnamed temporary file, merged while
 * reading. */
#ifndef OLVIDO_SORTER_H
#define OLVIDO_SORTER_H

#include "olvido/calendar.h"
#include "olvido/error.h"

#include <stdbool.h>
#include <stddef.h>

struct olv_sorter;

struct olv_sorted {
    struct olv_instant key; /* earliest first; equal keys are ordered by their bytes */
    const void *bytes;
    size_t len;
};

struct olv_sorter *olv_sorter_new(struct olv_error *err);
/* Before the first addition: latest first. */
void olv_sorter_reverse(struct olv_sorter *sorter);
/* Copies the record. Threads may add at the same time. */
bool olv_sorter_add(struct olv_sorter *sorter, struct olv_sorted record, struct olv_error *err);
/* After the last addition: the next record in order, valid until the next call. False at the end (err->code
 * is OLV_OK) or on an error. */
bool olv_sorter_next(struct olv_sorter *sorter, struct olv_sorted *out, struct olv_error *err);
void olv_sorter_free(struct olv_sorter *sorter);

#endif
