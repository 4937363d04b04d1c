/* SPDX-License-Identifier: Apache-2.0 */
#ifndef OLV_ACT_ARCHIVE_MADE_H
#define OLV_ACT_ARCHIVE_MADE_H

#include "source/hooks.h"

/* A published archive outside a depot. */
struct archive_made {
    const char *path;
    uint8_t id[16], manifest[OLV_SHA256_SIZE];
    uint64_t length, members;
};

/* The ledger records it at the end of the run; the engine does it (engine/records.c). */
bool record_archive(const struct turn *turn, const struct archive_made *made, struct olv_error *err);

#endif
