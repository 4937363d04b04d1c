/* SPDX-License-Identifier: Apache-2.0 */
/* What is acted on is what was judged: the facts that identify a file within a run. */
#ifndef OLV_FILE_IDENTITY_H
#define OLV_FILE_IDENTITY_H

#include "olvido/docket.h"

struct olv_identity olv_identity_of(const struct olv_stat *stat);
/* Whether `stat` is the same file, in any state. */
bool olv_identity_is(const struct olv_identity *identity, const struct olv_stat *stat);
/* Whether `stat` is the same file in the same state. `with_changed` includes ctime; pass false after a
 * rename, which changes it. */
bool olv_identity_holds(const struct olv_identity *identity, const struct olv_stat *stat, bool with_changed);
/* Whether it is the same file, and in the same state, after a reboot, when the mount may have another number.
 */
bool olv_identity_remains(const struct olv_identity *identity, const struct olv_stat *stat);
bool olv_identity_survived(const struct olv_identity *identity, const struct olv_stat *stat);
/* The same for a directory, without its UUID, which is asked once for many. */
struct olv_directory_id olv_directory_id_of(const struct olv_stat *stat);
/* Whether only we (and root) can put, replace or remove names in this directory, by owner and mode. An access
 * control list that lets others write shows in the group bits, which are its mask (POSIX.1e draft
 * 17, 23.1.3). */
bool olv_directory_is_ours(const struct olv_stat *directory);

/* Whether another file system, or a subvolume, begins at a directory in this one. */
static inline bool olv_begins_another(const struct olv_stat *above, const struct olv_stat *directory)
{
    return directory->kind == OLV_KIND_DIRECTORY &&
           (directory->mount != above->mount || directory->device != above->device);
}

#endif
