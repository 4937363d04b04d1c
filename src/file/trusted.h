/* SPDX-License-Identifier: Apache-2.0 */
/* Where a path leads, and whether only root and the calling user can change that. */
#ifndef OLV_FILE_TRUSTED_H
#define OLV_FILE_TRUSTED_H

#include "olvido/error.h"

/* Opens what a path leads to for reading, and judges each step on its descriptor: every directory, every link
 * (also those that links lead to), and the end. Each must belong to root or to us, and nobody else may write
 * it by mode or access list; a directory, including the end, may be sticky instead. So nobody else can change
 * where the path leads, now or later. `what` names the end in messages ("the policy"). -1 with `code` if a
 * step is not trusted, or with the errno of what failed. */
int trusted_open(const char *path, const char *what, enum olv_code code, struct olv_error *err);
/* The same for a directory in which nobody else may create anything: sticky is not enough for the end. */
int trusted_directory(const char *path, const char *what, enum olv_code code, struct olv_error *err);
/* Whether the directories above a path are trusted, whether or not it exists: starts at the nearest existing
 * one. */
bool trusted_above(const char *path, const char *what, enum olv_code code, struct olv_error *err);
/* The path without links, owned by the caller, like realpath (POSIX.1-2008); but only links that belong to
 * root or to us are followed, because anybody else's link leads where he likes. NULL with OLV_UNTRUSTED, or
 * with the errno of what failed. Nothing else is judged. */
char *trusted_resolve(const char *path, struct olv_error *err);
/* Opens the directory at such a path; a missing one is created in its parent, with mode 0777 less the umask.
 * -1 likewise. */
int trusted_make_directory(const char *path, struct olv_error *err);

#endif
