/* SPDX-License-Identifier: Apache-2.0 */
/* Taking members out of an archive for good: what is left goes into a new archive beside it, which is proven
 * before the catalogue knows it in place of the old one. From then on the old one is `going`: it is the
 * caller's to remove, and then to forget. Never is anything changed in place. An archive of which nothing is
 * left just goes. */
#ifndef OLV_DEPOT_THIN_H
#define OLV_DEPOT_THIN_H

#include "depot/catalogue.h"

/* Where a member's header stands; see struct olv_stored_file. */
struct thin_position {
    uint64_t begins, within;
    bool stays; /* set by thin_archive: a hard link that stays needs its contents */
};

struct thin_options {
    struct olv_catalogue *catalogue;
    int dir;                /* of the depot */
    const char *depot_path; /* the same */
    const char *name;       /* of the archive */
    const char *run;
    const char *label; /* of the new archive while it has no name */
    const uint8_t *id; /* of the archive: another one is not touched */
    struct thin_position *gone;
    size_t count;
    const struct olv_observer *observer;
};

/* `into` becomes the new archive's name, or "" where nothing is left, and `going` the number of the old one.
 * False with `err`: then all is as it was. OLV_CHANGED where the catalogue does not know the archive. */
bool thin_archive(const struct thin_options *options, char into[NAME_MAX + 1], int64_t *going,
                  struct olv_error *err);

#endif
