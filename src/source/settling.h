/* SPDX-License-Identifier: Apache-2.0 */
/* What hooks look at after a crash. */
#ifndef OLV_SOURCE_SETTLING_H
#define OLV_SOURCE_SETTLING_H

#include "file/fresh.h"
#include "source/hooks.h"

/* Whether the file that was judged is there under its name. OLV_NO: nothing is, or another one. OLV_UNKNOWN:
 * it cannot be looked at. */
enum olv_truth settling_is_there(const struct turn *turn, const struct olv_docket_entry *entry);
/* The search for a file that the entry was to be made into, by what the register says of it. Without a row it
 * finds nothing. False with `err` where the register cannot be read: then nothing must be taken back, and
 * nothing tells what was done. */
struct settling_search {
    struct fresh_search search;
    struct given given;
};
bool settling_search_for(struct settling_search *out, const struct turn *turn,
                         const struct olv_docket_entry *entry, const char *label, const char *wanted,
                         struct olv_error *err);

#endif
