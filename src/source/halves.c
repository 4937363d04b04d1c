/* SPDX-License-Identifier: Apache-2.0 */
#include "source/halves.h"

#include "file/removal.h"
#include "source/records.h"

#include <stdio.h>

static bool announce(const void *self, enum rename_half half, const char *from, const char *to,
                     struct olv_error *err)
{
    const struct halves_witness *w = self;
    struct announced_move move = {.half = half == RENAME_THERE ? w->there : half};
    snprintf(move.from, sizeof move.from, "%s", from);
    snprintf(move.to, sizeof move.to, "%s", to);
    return record_move(w->turn, &move, err);
}

const struct rename_witness *halves_begin(struct halves_witness *out, const struct turn *turn,
                                          enum rename_half there)
{
    *out = (struct halves_witness){.rename = {.announce = announce}, .turn = turn, .there = there};
    out->rename.self = out;
    return &out->rename;
}

bool halves_settle(const struct turn *turn, enum rename_half half, int from, int to, char name[NAME_MAX + 1])
{
    struct announced_move move = {.half = half};
    bool is_back = half == RENAME_BACK;
    const char *goes = is_back ? move.from : move.to;
    if (recorded_move(turn, &move) != OLV_YES || !rename_is_half(from, move.from, to, move.to) ||
        removal_unlink(REMOVAL_HALF, is_back ? from : to, goes) != 0)
        return false;
    if (name)
        snprintf(name, NAME_MAX + 1, "%s", goes);
    return true;
}
