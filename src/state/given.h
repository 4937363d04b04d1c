/* SPDX-License-Identifier: Apache-2.0 */
/* Files that a run gives a name to. A row is on the disk before the name is given. So what is given back is
 * spared from then on, whatever happens; and after a crash the file is known again, whatever name it got. */
#ifndef OLV_STATE_GIVEN_H
#define OLV_STATE_GIVEN_H

#include "base/given.h"
#include "state/register.h"

/* Notes a file that is about to get its name at this path; `is_spared`: for 30 days no rule touches it. */
bool given_note(struct olv_register *reg, uint64_t entry, const char *path, const struct olv_stat *stat,
                bool is_spared, struct olv_error *err);
/* What was stored of an entry of a run, or (not NULL) of the path. OLV_NO where nothing was; OLV_UNKNOWN with
 * `err` where the register cannot be read. */
enum olv_truth given_find(struct olv_register *reg, const char *run, uint64_t entry, const char *path,
                          struct given *out, struct olv_error *err);
/* Whether the file is spared at this time, asked of the register as it is now. */
enum olv_truth given_is_spared(struct olv_register *reg, const struct olv_stat *stat, struct olv_instant now);

#endif
