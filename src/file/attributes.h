/* SPDX-License-Identifier: Apache-2.0 */
/* What a file is beside its contents: owner, mode, extended attributes with access control lists, times. */
#ifndef OLV_FILE_ATTRIBUTES_H
#define OLV_FILE_ATTRIBUTES_H

#include "olvido/entry.h"
#include "olvido/error.h"

/* The extended attributes that begin with this are Olvido's own notes about a file. */
#define ATTRIBUTES_NOTES "user.olvido."

/* Gives the open file `to` everything that the open file `from` has, whose facts are in `stat`; the times
 * come last. Olvido's own notes are left behind. False with `err` where something cannot be kept, as on a
 * file system without extended attributes. */
bool attributes_copy(int from, const struct olv_stat *stat, int to, struct olv_error *err);
/* Sets the times of an open file: access and modification. */
bool attributes_set_times(int fd, const struct olv_stat *stat, struct olv_error *err);

#endif
