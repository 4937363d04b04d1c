/* SPDX-License-Identifier: Apache-2.0 */
/* The one ending: whatever goes for good, from a tree, a trash or a depot, goes through the `end` of its
 * place, with the leave that asking about it gave (source/asking.h), compared right before, and in the manner
 * of its act. When a function returns false, the outcome says why. */
#ifndef OLV_SOURCE_ENDING_H
#define OLV_SOURCE_ENDING_H

#include "file/unlink.h"
#include "olvido/depot.h"
#include "source/hooks.h"

/* How an act ends a file, if not by unlinking alone. */
struct manner {
    /* First overwrites its contents: so many bytes, through a descriptor that is open for writing and synced
     * afterwards. False with `err`: then the file stays, whatever its contents are now. */
    bool (*overwrite)(const void *arguments, int fd, uint64_t bytes, const struct olv_observer *observer,
                      struct olv_error *err);
};

/* Ends the entry where it lies; of a member, its archive's file. A directory of an act that takes whole ones
 * goes with all that is in it, from the bottom up; of another act it goes only if it is empty. */
bool ending_end(struct turn *turn, const struct olv_reach *directory, const struct olv_docket_entry *entry,
                struct olv_outcome *outcome);
/* The same for a file of a tree that nobody may have open for writing, until its name is gone. */
bool ending_end_unused(struct turn *turn, const struct olv_docket_entry *entry, struct olv_outcome *outcome);
/* Ends an archive of a depot that is going, and has no entry: whoever removes it next. OLV_NO: it is held, or
 * not the archive that the catalogue knows, and stays. OLV_UNKNOWN: that cannot be found out, or it cannot be
 * removed. Both with `err`. */
enum olv_truth ending_end_archive(const struct olv_session *session, int depot,
                                  const struct olv_unfinished_archive *archive, struct olv_error *err);

/* ---- for the places ---- */

/* Unlinks a file of an open directory that only others whom we trust can write, or in a private room:
 * compared by its name, and in the room once more, where nobody can exchange it. */
bool ending_unlink(struct turn *turn, const struct olv_reach *directory, const struct olv_docket_entry *entry,
                   struct olv_outcome *outcome);
/* The same for a directory with everything in it. */
bool ending_remove_tree(struct turn *turn, const struct olv_reach *directory,
                        const struct olv_docket_entry *entry, struct olv_outcome *outcome);
/* What is done to each file before its name goes; `self` is the room for it. */
struct ending_overwriting {
    const struct olv_observer *observer;
    const struct olv_docket_entry *entry; /* whose act and arguments say how */
    bool has_begun;
};
/* The outcome of a failure: it says what is overwritten. */
void ending_failed(const struct ending_overwriting *self, struct olv_outcome *outcome);
/* For a record of what is going: the act and how it is done; nothing for an act without a manner. */
void ending_put_manner(const struct olv_docket_entry *entry, struct olv_text *out);
struct unlinking ending_manner(struct ending_overwriting *self, const struct turn *turn,
                               const struct olv_docket_entry *entry);
/* After a crash: whether the act had begun to overwrite or empty what stands there. */
bool ending_was_begun(const struct turn *turn, const struct olv_docket_entry *entry);
/* For acts that end files of a tree, and have NEEDS_NOTE: their hook after a crash. */
enum olv_truth ending_applied(struct turn *turn, const struct olv_docket_entry *entry,
                              struct olv_outcome *outcome);
/* After a crash: what was taken aside goes back; and what was partly overwritten, or emptied, gets back the
 * time that its rule goes by. */
void ending_settle(const struct turn *turn, const struct olv_docket_entry *entry);
void ending_keep_due(const struct turn *turn, const struct olv_docket_entry *entry);

#endif
