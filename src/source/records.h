/* SPDX-License-Identifier: Apache-2.0 */
/* What a run remembers for acts, in the state directory: the engine does it (engine/records.c). */
#ifndef OLV_SOURCE_RECORDS_H
#define OLV_SOURCE_RECORDS_H

#include "base/given.h"
#include "file/rename.h"
#include "olvido/protection.h"
#include "source/hooks.h"

/* The catalogue of depots, created on first use. NULL with `err`. */
struct olv_catalogue *record_catalogue(const struct turn *turn, struct olv_error *err);

/* ---- moves in two steps; see file/rename.h ---- */

struct announced_move {
    enum rename_half half;
    char from[NAME_MAX + 1], to[NAME_MAX + 1]; /* "": it was not made after all */
};
/* Makes it durable, before the entry is moved so, that it is about to be. */
bool record_move(const struct turn *turn, const struct announced_move *move, struct olv_error *err);
/* After a crash: the entry's last one with this `half`. OLV_NO if none was announced. */
enum olv_truth recorded_move(const struct turn *turn, struct announced_move *move);

/* ---- files that get a name ----
 * A file's row is on disk before the file gets its name: after a crash it is recognised whatever its name,
 * and recovered files are spared. */

/* Notes a file about to get its name at this path; `is_spared`: no rule touches it for 30 days. */
bool record_name(const struct turn *turn, uint64_t entry, const char *path, const struct olv_stat *stat,
                 bool is_spared, struct olv_error *err);
/* Makes what was noted durable, in one commit. */
bool record_names(const struct turn *turn, struct olv_error *err);
/* What was recorded for an entry of the run, or for `path` if not NULL. OLV_NO if nothing was; OLV_UNKNOWN
 * with `err` if the register cannot be read. */
enum olv_truth recorded_name(const struct turn *turn, uint64_t entry, const char *path, struct given *out,
                             struct olv_error *err);
/* Whether the file is spared now, because it was recovered. */
enum olv_truth recorded_respite(const struct turn *turn, const struct olv_stat *stat);

/* ---- what is protected ----
 * A row is on disk before its level is set. */

/* Notes a level that is about to be set for the entry's rule, or a person. */
bool record_protection(const struct turn *turn, const struct olv_protected *row, struct olv_error *err);
/* One that was lifted; or, with a run in `row`, that was not set in that one after all. */
bool record_lifted(const struct turn *turn, const struct olv_protected *row, struct olv_error *err);
/* See olv_register_protection; from any thread. */
enum olv_truth recorded_protection(const struct turn *turn, const struct olv_protected *file,
                                   void (*each)(void *self, const struct olv_protected *row), void *self,
                                   struct olv_error *err);
/* Whether the last change of this file's ctime was our own. OLV_NO: nobody knows of any. */
enum olv_truth recorded_mark(const struct turn *turn, const struct olv_stat *stat, bool *is_ours,
                             struct olv_error *err);

#endif
