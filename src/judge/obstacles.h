/* SPDX-License-Identifier: Apache-2.0 */
/* What stands in the way of an act on a file, whatever its verdict. */
#ifndef OLV_JUDGE_OBSTACLES_H
#define OLV_JUDGE_OBSTACLES_H

#include "judge/whole.h"

/* Of an existing file with this path. `whole` is what is known of its contents if it is a directory. */
void obstacles_find(struct tree_subject *subject, const struct whole_view *whole, const char *path,
                    struct olv_obstacles *out);

#endif
