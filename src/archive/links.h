/* SPDX-License-Identifier: Apache-2.0 */
/* Files with several hard links: which name is in the archive, so that the others become hard links to it. */
#ifndef OLV_ARCHIVE_LINKS_H
#define OLV_ARCHIVE_LINKS_H

#include "olvido/docket.h"

enum link_state {
    LINK_NEW,     /* no name of it was added, or the one added failed */
    LINK_PENDING, /* one was added, with unknown result so far */
    LINK_KNOWN    /* one is in the archive */
};

struct links;
struct links *links_new(void); /* NULL without memory */
/* What is known of the entry's file; with LINK_KNOWN its path in the archive, borrowed. */
enum link_state links_find(const struct links *links, const struct olv_docket_entry *entry,
                           const char **path);
/* The entry is added to the archive. False without memory. Beyond a million files nothing is remembered. */
bool links_add(struct links *links, const struct olv_docket_entry *entry, uint64_t sequence,
               const char *path);
/* The result of an entry, if it is one of those. */
void links_know(struct links *links, uint64_t sequence, bool is_in);
void links_free(struct links *links);

#endif
