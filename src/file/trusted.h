/* SPDX-License-Identifier: Apache-2.0 */
/* Whether nobody but root and ourselves can put another thing where a path leads to; and where it leads. */
#ifndef OLV_FILE_TRUSTED_H
#define OLV_FILE_TRUSTED_H

#include "olvido/error.h"

/* Opens, for reading, what a path leads to, and judges each step of the way on its descriptor: every
 * directory, every link, also one that a link leads to, and the end. Each must belong to root or to us, and
 * nobody else may write it by mode or access list; a directory, also one that is the end, is fine where it is
 * sticky. So nobody else can change where the path leads to, now or later. `what` names the end in messages
 * ("the policy"). -1 with `code` where a step is not trusted, or with the errno of what failed. */
int trusted_open(const char *path, const char *what, enum olv_code code, struct olv_error *err);
/* The same for a directory in which nobody else may put anything: being sticky does not help the end. */
int trusted_directory(const char *path, const char *what, enum olv_code code, struct olv_error *err);
/* Whether those above a path are trusted, whether or not it is there itself: the nearest that is there. A
 * path that is too long is told by whoever opens it. */
bool trusted_above(const char *path, const char *what, enum olv_code code, struct olv_error *err);
/* The path without links, owned by the caller, like realpath (POSIX.1-2008); but only links that belong to
 * root or to us are followed: a link of anybody else leads where he likes. NULL with OLV_UNTRUSTED, or with
 * the errno of what failed. Nothing else is judged. */
char *trusted_resolve(const char *path, struct olv_error *err);
/* Opens the directory at such a path; where it is missing it is made in its parent, with the mode that the
 * caller's umask leaves of 0777. -1 likewise. */
int trusted_make_directory(const char *path, struct olv_error *err);

#endif
