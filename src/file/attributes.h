/* SPDX-License-Identifier: Apache-2.0 */
/* A file's metadata: owner, mode, extended attributes with access control lists, times. */
#ifndef OLV_FILE_ATTRIBUTES_H
#define OLV_FILE_ATTRIBUTES_H

#include "olvido/entry.h"
#include "olvido/error.h"

/* The prefix of Olvido's own notes among extended attributes. */
#define ATTRIBUTES_NOTES "user.olvido."

/* Gives the open file `to` all metadata of the open file `from`, whose facts are in `stat`; times come last.
 * Skips Olvido's own notes. False with `err` if something cannot be kept, as on a file system without
 * extended attributes. */
bool attributes_copy(int from, const struct olv_stat *stat, int to, struct olv_error *err);
/* Sets access and modification time of an open file. */
bool attributes_set_times(int fd, const struct olv_stat *stat, struct olv_error *err);

#endif
