/* SPDX-License-Identifier: Apache-2.0 */
/* Reading a directory of somebody else changes its access time, unless root reads it: that is said once for
 * each mount. */
#ifndef OLV_SCAN_ACCESSED_H
#define OLV_SCAN_ACCESSED_H

#include "olvido/observer.h"

enum { ACCESSED_MOST = 16 };

/* The mounts that are known already. Starts zeroed; for one thread at a time. */
struct accessed {
    uint64_t mounts[ACCESSED_MOST];
    unsigned count;
};
/* Tells the observer of an open directory's mount, if reading it leaves a trace there, and that was not said
 * yet. */
void accessed_tell(struct accessed *accessed, int fd, const struct olv_observer *observer);

#endif
