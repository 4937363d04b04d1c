/* SPDX-License-Identifier: Apache-2.0 */
/* Small files that share a frame: one worker opens, reads and hashes all of them, straight into the frame's
 * bytes. A file that changes meanwhile leaves no trace there. */
#ifndef OLV_ARCHIVE_BUNDLE_H
#define OLV_ARCHIVE_BUNDLE_H

#include "archive/make.h"
#include "archive/take.h"
#include "base/many.h"
#include "file/reach.h"

enum { BUNDLE_ENTRIES = 4096, BUNDLE_ENTRY_OVERHEAD = 3 * 512 };

struct bundle_item {
    struct olv_docket_entry entry; /* its strings are in the arena */
    const char *path;              /* the member's path */
    const char *hard_link;         /* the member it is another name of; NULL: none */
    uint64_t sequence;
    uint64_t at; /* offset in the frame */
    struct olv_member member;
    bool has_member, has_digest;
    bool is_plain; /* its contents are in the frame and not hashed yet: */
    size_t data_at, data_len;
    const char *was; /* in the arena; NULL: its name has not changed */
    uint64_t was_bytes;
    size_t header_len; /* its headers are at `at` */
    uint8_t header[OLV_SHA256_SIZE];
    uint8_t digest[OLV_SHA256_SIZE];
    const struct olv_error *error; /* why it is not in the frame, in the arena; NULL: it is */
};

struct bundle {
    struct olv_arena arena;
    struct bundle_item *items; /* BUNDLE_ENTRIES; owned */
    struct many_piece *pieces; /* equally many; owned */
    size_t count;
    uint64_t bytes; /* roughly the space it will take */
    bool is_zip;    /* then it has only one entry */
    const struct olv_observer *observer;
    struct bundle_worker *workers; /* shared by all bundles; borrowed */
};

/* What a worker keeps between bundles. */
struct bundle_worker {
    struct olv_hasher *hasher;
    struct taking_room room;
    struct many_hasher *many;
    struct olv_reach reach;
    struct bundle_names {
        uint32_t id;
        bool is_known;
        char name[64];
    } user, group; /* the last ones looked up */
};

/* Roughly the bytes that the entry takes in a frame: its contents and its headers, which spell its path. */
uint64_t bundle_space(const struct olv_docket_entry *entry);
/* Adds a copy of the entry. */
bool bundle_add(struct bundle *bundle, const struct olv_docket_entry *entry, uint64_t sequence,
                const char *hard_link);
void bundle_clear(struct bundle *bundle);
/* For struct frame_job; `context` is the bundle. */
bool bundle_fill(struct frame_job *job, unsigned worker);
/* Appends an entry's path in an archive: its own without the leading slash. */
void bundle_member_path(const struct olv_docket_entry *entry, struct olv_text *out);
/* Sets the member's names of owner and group. */
bool bundle_name_owner(struct bundle_worker *worker, struct olv_member *member, struct olv_arena *arena);

#endif
