/* SPDX-License-Identifier: Apache-2.0 */
/* What hooks examine after a crash. */
#ifndef OLV_SOURCE_SETTLING_H
#define OLV_SOURCE_SETTLING_H

#include "file/fresh.h"
#include "source/records.h"

/* Whether the judged file is still there under its name. OLV_NO: nothing, or another file. OLV_UNKNOWN: it
 * cannot be examined. */
enum olv_truth settling_is_there(const struct turn *turn, const struct olv_docket_entry *entry);
/* Searches for the file that the entry was to become, by the register. Without a row it finds nothing. False
 * with `err` if the register cannot be read: then nothing may be taken back, and nothing tells what was done.
 */
struct settling_search {
    struct fresh_search search;
    struct given given;
};
bool settling_search_for(struct settling_search *out, const struct turn *turn,
                         const struct olv_docket_entry *entry, const char *label, const char *wanted,
                         struct olv_error *err);

#endif
