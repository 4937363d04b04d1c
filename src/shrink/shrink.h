/* SPDX-License-Identifier: Apache-2.0 */
/* One file packed, or unpacked, into a new one beside it, and the new one proven. The original is only read.
 */
#ifndef OLV_SHRINK_SHRINK_H
#define OLV_SHRINK_SHRINK_H

#include "base/digest.h"
#include "file/fresh.h"
#include "olvido/observer.h"
#include "pack/frames.h"

/* What one thread needs again and again. */
struct shrinker;
struct shrinker *shrinker_new(void); /* NULL without memory */
void shrinker_free(struct shrinker *shrinker);

struct shrink_task {
    /* What to do; borrowed. */
    int dir;
    const char *name;
    int to_dir;                          /* where the new file is made */
    const char *label;                   /* of the new file */
    int to_fd;                           /* -1, or: no new file is made, the bytes go here */
    const struct olv_identity *identity; /* what was judged */
    enum olv_codec codec;                /* packing: into this one. Unpacking: found by looking */
    int level;
    uint64_t most_bytes; /* unpacking: it may become this large; 0: see shrink_unpack */
    bool keeps;          /* unpacking: the original stays, so nothing is digested or needs to be read back */
    unsigned workers;
    const struct olv_observer *observer;
    uint64_t files_before, bytes_before; /* done before this file, for the observer */
    /* What came of it. */
    struct fresh fresh;
    struct olv_stat stat;            /* of the original */
    uint64_t packed_bytes;           /* the length of the packed one of both */
    uint64_t plain_bytes;            /* and of the plain one */
    uint8_t digest[OLV_SHA256_SIZE]; /* SHA-256 of the packed one; not of an original that stays */
    uint64_t put_bytes;              /* written up to now */
    struct olv_hasher *hasher;       /* of the shrinker, while it is packed */
    int source;                      /* the original, open for reading; -1 */
    bool is_watched;
    struct frame_list frames; /* of the new file */
    enum olv_codec written;   /* the new file's */
};

/* A file up to this size is done by the calling thread alone. */
enum { SHRINK_SMALL = FRAME_BYTES };

/* A task that only has to be told what to do. */
struct shrink_task shrink_task(int dir, const char *name, const struct olv_identity *identity);
/* Packs into a fresh file with the attributes of the original. It need not be on the disk yet. Call
 * shrink_end in any case. */
bool shrink_pack(struct shrinker *shrinker, struct shrink_task *task, struct olv_error *err);
/* Unpacks likewise, and checks every checksum. What would become larger than `most_bytes` is given up, and
 * without that, what would become more than a thousand times as large and more than 1 GiB. */
bool shrink_unpack(struct shrinker *shrinker, struct shrink_task *task, struct olv_error *err);
/* When the fresh file is on the disk: reads it back and compares it with what was read from the original, and
 * looks whether that is still the same. OLV_CHANGED where it is not. */
bool shrink_prove(struct shrinker *shrinker, struct shrink_task *task, struct olv_error *err);
/* Whether the original is still what was read, and nobody waits to write to it: asked again before it goes.
 */
bool shrink_is_unchanged(const struct shrink_task *task, struct olv_error *err);
void shrink_end(struct shrink_task *task);

#endif
