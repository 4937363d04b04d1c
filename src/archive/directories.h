/* SPDX-License-Identifier: Apache-2.0 */
/* What directories get at the end, when nothing more goes into them: before that their times would change,
 * and their modes could lock us out. However many there are, they take no memory. */
#ifndef OLV_ARCHIVE_DIRECTORIES_H
#define OLV_ARCHIVE_DIRECTORIES_H

#include "archive/restore.h"

struct directories;
struct directories *directories_new(struct olv_error *err);
/* Remembers the member, a directory, under its clean path, with the identity of the directory made for it. */
bool directories_add(struct directories *directories, const char *path, const struct olv_stat *made,
                     const struct olv_member *member, struct olv_error *err);
/* Gives all of them what they had, innermost first, durably; calls `failed` for each that could not get it,
 * such as one that somebody has replaced. */
bool directories_finish(struct directories *directories, int top, const struct restore_options *options,
                        void (*failed)(void *self, const char *path, const struct olv_error *why), void *self,
                        struct olv_error *err);
void directories_free(struct directories *directories);

#endif
