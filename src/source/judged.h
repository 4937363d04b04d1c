/* SPDX-License-Identifier: Apache-2.0 */
/* What the hooks of acts and places have in common: what was judged is what is acted on. Where a function is
 * false the outcome says why. */
#ifndef OLV_SOURCE_JUDGED_H
#define OLV_SOURCE_JUDGED_H

#include "file/fresh.h"
#include "source/hooks.h"

/* Compares the name with what was judged. `with_changed`: its ctime, too. */
bool judged_verify(int dir, const char *name, const struct olv_docket_entry *entry, bool with_changed,
                   struct olv_outcome *outcome);
/* The same for what is in a directory, by its name in an open one; true for everything else. `asks`: also
 * whether something in it is held, or open for writing, by now. */
bool judged_verify_contents(const struct turn *turn, int dir, const char *name, bool asks,
                            const struct olv_docket_entry *entry, struct olv_outcome *outcome);
/* Whether no guard stands before it. */
bool judged_is_allowed(struct turn *turn, const struct olv_docket_entry *entry, struct olv_outcome *outcome);
/* For acts whose file's contents are safe elsewhere: removes a file's name from the open directory if it
 * still is what was judged, by the way that is right there (see file/stage.h). */
bool judged_remove(const struct turn *turn, const struct olv_reach *directory,
                   const struct olv_docket_entry *entry, const char *label, bool with_changed,
                   struct olv_outcome *outcome);
/* The same for a file that must not be open for writing then: asked of the system right before, and it stays
 * so until the name is gone. */
bool judged_remove_unused(const struct turn *turn, const struct olv_docket_entry *entry, const char *label,
                          bool with_changed, struct olv_outcome *outcome);
/* Of an item of a trash: its trash; NULL with `err`. */
struct olv_trash *judged_trash_of_item(struct turn *turn, const struct olv_docket_entry *entry,
                                       struct olv_error *err);
/* For all entries of a group that are not decided yet. */
void group_fail(const struct group *group, const struct olv_error *why);

/* What tells the new files of an entry apart until they are complete: it is found again when the run is
 * settled, and cannot be foreseen by whoever has seen another one. */
void turn_label(char out[FRESH_LABEL], const struct turn *turn, uint64_t sequence);
/* The same for the archive that begins with that entry. */
void turn_archive_label(char out[FRESH_LABEL], const struct turn *turn, uint64_t sequence);

#endif
