/* SPDX-License-Identifier: Apache-2.0 */
/* Moves in two steps, where the exclusive rename is missing (see file/rename.h): announced before, and taken
 * back after a crash. */
#ifndef OLV_SOURCE_HALVES_H
#define OLV_SOURCE_HALVES_H

#include "file/rename.h"
#include "source/hooks.h"

struct halves_witness {
    struct rename_witness rename;
    const struct turn *turn;
    enum rename_half there; /* RENAME_THERE, or RENAME_BACK */
};
/* Announces the moves of this turn's entry. Returns `&out->rename`. */
const struct rename_witness *halves_begin(struct halves_witness *out, const struct turn *turn,
                                          enum rename_half there);

/* After a crash: if the entry's last move of this kind was announced, and both its names stand and are the
 * same file, removes the one that was announced as new, or with RENAME_BACK the old one. True if it did;
 * `name` (may be NULL) is the name that went. */
bool halves_settle(const struct turn *turn, enum rename_half half, int from, int to, char name[NAME_MAX + 1]);

#endif
