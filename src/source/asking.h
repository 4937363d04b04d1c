/* SPDX-License-Identifier: Apache-2.0 */
/* One place asks, right before something is touched: guards, holds, respites, and whether a file is open for
 * writing may have changed since planning. Whatever ends a thing (source/ending.h) needs the leave that only
 * asking gives, for that very thing, and uses it up. */
#ifndef OLV_SOURCE_ASKING_H
#define OLV_SOURCE_ASKING_H

#include "source/hooks.h"

/* Of a file or directory in a tree all of that; of what lies in a trash or a depot whether it is held by its
 * original path, and whether it was recovered recently (that keeps nothing from a person). True: it may be
 * touched, and turn->ending has leave to end it; of a member, its archive. Else the outcome says why not.
 * `is_watched`: the caller would notice if somebody opened it for writing. */
bool ask_about(struct turn *turn, const struct olv_reach *directory, const struct olv_docket_entry *entry,
               bool is_watched, struct olv_outcome *outcome);
/* Whether something in a directory is held, or open for writing where that matters: false if it may go. With
 * `contents`, which may be NULL, its totals. `err` says what keeps it, or that it could not be looked at. */
bool ask_about_contents(const struct turn *turn, int dir, const char *name,
                        const struct olv_docket_entry *entry, struct olv_contents *contents,
                        struct olv_error *err);
/* Of an archive that is to go, and has no entry: whether something in it is held. */
enum olv_truth ask_about_archive(const struct olv_session *session, int64_t archive, struct olv_error *err);
/* Frees what it has seen. */
void asking_end(struct turn *turn);

/* ---- what our own acts changed; see file/changes.h ---- */

/* Around a change to an entry's file: the first opens it if it has other names (-1: no), the second closes it
 * and, if the change was made, notes the state it is in then. */
int own_change_begin(const struct olv_reach *directory, const struct olv_docket_entry *entry);
void own_change_end(const struct turn *turn, int fd, bool was_made);
/* If the file is as our last change left it, it is judged as that from here on. */
void own_change_follow(const struct turn *turn, int dir, struct olv_docket_entry *entry);

#endif
