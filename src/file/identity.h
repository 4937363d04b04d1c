/* SPDX-License-Identifier: Apache-2.0 */
/* What is acted on is what was judged: the facts by which a file is known again within a run. */
#ifndef OLV_FILE_IDENTITY_H
#define OLV_FILE_IDENTITY_H

#include "olvido/docket.h"

struct olv_identity olv_identity_of(const struct olv_stat *stat);
/* Whether `stat` is the same file, in whatever state. */
bool olv_identity_is(const struct olv_identity *identity, const struct olv_stat *stat);
/* Whether `stat` is the same file in the same state. A rename changes the time of the last change of state,
 * so after one `with_changed` is false. */
bool olv_identity_holds(const struct olv_identity *identity, const struct olv_stat *stat, bool with_changed);
/* The same where a mount may have got another number meanwhile: after a restart of the machine. */
bool olv_identity_survived(const struct olv_identity *identity, const struct olv_stat *stat);
/* The same for a directory; its UUID is left out, for that is asked for once for many. */
struct olv_directory_id olv_directory_id_of(const struct olv_stat *stat);
/* Whether nobody but us (and root) can put, replace or remove names in this directory: by owner and by mode.
 * An access control list that lets others write shows in the group bits, which are its mask (POSIX.1e draft
 * 17, 23.1.3). */
bool olv_directory_is_ours(const struct olv_stat *directory);

#endif
