/* SPDX-License-Identifier: Apache-2.0 */
/* Writing the register of respites. */
#ifndef OLV_HOLD_HOLD_H
#define OLV_HOLD_HOLD_H

#include "olvido/hold.h"

/* Collected in memory until they are brought to the disk together. */
struct olv_respite_list {
    unsigned char *records; /* owned */
    size_t count, cap;
    bool failed; /* memory ran out */
};

/* Notes that this file, now at this path, was recovered. */
void olv_respite_note(struct olv_respite_list *list, const char *path, const struct olv_stat *stat,
                      struct olv_instant now);
/* Adds them to the register of an open state directory, without those whose time is over, and brings it to
 * the disk. */
bool olv_respite_store(struct olv_respite_list *list, int state, struct olv_instant now,
                       struct olv_error *err);
void olv_respite_list_free(struct olv_respite_list *list);

#endif
