/* SPDX-License-Identifier: Apache-2.0 */
/* Sums up a directory's contents, so that a change is noticed. */
#ifndef OLV_SCAN_CONTENTS_H
#define OLV_SCAN_CONTENTS_H

#include "olvido/docket.h"
#include "scan/scan.h"

/* Adds one entry to the sum. */
void olv_contents_add(struct olv_contents *contents, const struct olv_stat *stat);
void olv_contents_merge(struct olv_contents *to, const struct olv_contents *from);
/* Why an entry keeps the directory around it, in words; NULL: it does not. Thread-safe. */
struct contents_asker {
    void *self;
    const struct olv_observer *interrupts; /* whom to ask for an interrupt; NULL: nobody */
    const char *(*why_kept)(void *self, const struct olv_scan_entry *entry);
};
/* Walks the directory of that name in an open one. False with OLV_CHANGED if something in it could not be
 * looked at, or lies on another mount; with OLV_REFUSED if something keeps it. `asker` may be NULL. `err` has
 * the path of what could not be looked at, from `name` on, and why; no errno: another file system begins
 * there. */
bool olv_scan_contents(int dir, const char *name, const struct contents_asker *asker,
                       struct olv_contents *out, struct olv_error *err);

#endif
