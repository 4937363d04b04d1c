/* SPDX-License-Identifier: Apache-2.0 */
/* Whether nobody but root and ourselves can put another thing where a path leads to. */
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

#endif
