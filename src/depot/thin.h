/* SPDX-License-Identifier: Apache-2.0 */
/* Removes members from an archive for good: the rest goes into a new archive beside it, which is proven
 * before it replaces the old one in the catalogue. Then the old one is `going`: the caller removes its file,
 * then its row. Nothing is ever changed in place. An archive with nothing left is just going. */
#ifndef OLV_DEPOT_THIN_H
#define OLV_DEPOT_THIN_H

#include "depot/catalogue.h"

/* Where a member's header is; see struct olv_stored_file. */
struct thin_position {
    uint64_t begins, within;
    bool stays; /* set by thin_archive: a remaining hard link needs its contents */
};

struct thin_options {
    struct olv_catalogue *catalogue;
    int dir;                /* of the depot */
    const char *depot_path; /* the same */
    const char *name;       /* of the archive */
    const char *run;
    const char *label;      /* of the new archive's temporary file */
    const uint8_t *id;      /* of the archive: any other is left alone */
    struct olv_text manner; /* of its ending; borrowed */
    struct thin_position *gone;
    size_t count;
    const struct olv_observer *observer;
};

/* `into` gets the new archive's name, or "" if nothing is left, and `going` the row of the old one. False
 * with `err`: then nothing has changed. OLV_CHANGED if the catalogue does not know the archive. */
bool thin_archive(const struct thin_options *options, char into[NAME_MAX + 1], int64_t *going,
                  struct olv_error *err);

#endif
