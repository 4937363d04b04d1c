/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the hooks of acts and places: what is acted on is what was judged. When a function returns false,
 * the outcome says why. */
#ifndef OLV_SOURCE_JUDGED_H
#define OLV_SOURCE_JUDGED_H

#include "file/fresh.h"
#include "source/hooks.h"

/* Whether it has other names (hard links): the inode then tells nothing of this one, and what is done to
 * another in the same run changes its ctime, too. */
bool judged_has_twins(const struct olv_docket_entry *entry);
/* Compares the name with what was judged. `with_changed`: including its ctime. */
bool judged_verify(int dir, const char *name, const struct olv_docket_entry *entry, bool with_changed,
                   struct olv_outcome *outcome);
/* Opens it, to read or to list it, and compares on the descriptor; -1. */
int judged_open(const struct olv_reach *directory, const struct olv_docket_entry *entry,
                struct olv_outcome *outcome);
/* What an act changed of an open file itself is on disk before its outcome. */
bool judged_changed(const struct turn *turn, int fd, struct olv_error *err);
/* The same for the contents of a directory, by its name in an open one; true for anything else. `asks`: also
 * whether something in it is now held or open for writing. */
bool judged_verify_contents(const struct turn *turn, int dir, const char *name, bool asks,
                            const struct olv_docket_entry *entry, struct olv_outcome *outcome);
/* The trash of a trash item; NULL with `err`. */
struct olv_trash *judged_trash_of_item(struct turn *turn, const struct olv_docket_entry *entry,
                                       struct olv_error *err);
/* Fails all undecided entries of a group. */
void group_fail(const struct group *group, const struct olv_error *why);

/* A label for the new files of an entry until they are published: settling finds them by it, and nobody can
 * predict it from another one. */
void turn_label(char out[FRESH_LABEL], const struct turn *turn, uint64_t sequence);
/* The same for the room of all that goes from the entry's directory in one batch. */
void turn_room_label(char out[FRESH_LABEL], const struct turn *turn, const struct olv_docket_entry *entry);
/* The same for the archive that starts with that entry. */
void turn_archive_label(char out[FRESH_LABEL], const struct turn *turn, uint64_t sequence);

#endif
