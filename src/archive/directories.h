/* SPDX-License-Identifier: Apache-2.0 */
/* What directories are to be given in the end, when nothing more goes into them: their times would not last,
 * and their modes could keep us out. However many there are, they take no memory. */
#ifndef OLV_ARCHIVE_DIRECTORIES_H
#define OLV_ARCHIVE_DIRECTORIES_H

#include "archive/restore.h"

struct directories;
struct directories *directories_new(struct olv_error *err);
/* Remembers the member, which is a directory, under its clean path, and which one was made for it. */
bool directories_add(struct directories *directories, const char *path, const struct olv_stat *made,
                     const struct olv_member *member, struct olv_error *err);
/* Gives all of them what they had, the innermost first, and brings that to the disk; `failed` is called for
 * each that could not be given it, such as one in whose place another stands by now. */
bool directories_finish(struct directories *directories, int top, const struct restore_options *options,
                        void (*failed)(void *self, const char *path, const struct olv_error *why), void *self,
                        struct olv_error *err);
void directories_free(struct directories *directories);

#endif
