/* SPDX-License-Identifier: Apache-2.0 */
/* Compresses or decompresses one file into a new one, and proves that one. The original is only read. */
#ifndef OLV_SHRINK_SHRINK_H
#define OLV_SHRINK_SHRINK_H

#include "base/digest.h"
#include "file/fresh.h"
#include "olvido/observer.h"
#include "pack/frames.h"

/* What one thread reuses. */
struct shrinker;
struct shrinker *shrinker_new(void); /* NULL without memory */
void shrinker_free(struct shrinker *shrinker);

struct shrink_task {
    /* The task; borrowed. */
    int dir;
    const char *name;
    int to_dir;                          /* where to make the new file */
    const char *label;                   /* of the new file */
    int to_fd;                           /* -1; otherwise no new file is made, and the bytes go here */
    const struct olv_identity *identity; /* what was judged */
    enum olv_codec codec;                /* compressing: into this one. Decompressing: detected */
    int level;
    uint64_t most_bytes; /* decompressing: the largest it may become; 0: see shrink_unpack */
    bool keeps;          /* decompressing: the original stays, so nothing is hashed or read back */
    unsigned workers;
    const struct olv_observer *observer;
    uint64_t files_before, bytes_before; /* done before this file, for the observer */
    /* The result. */
    struct fresh fresh;
    struct olv_stat stat;            /* of the original */
    uint64_t packed_bytes;           /* size of the compressed one of both */
    uint64_t plain_bytes;            /* and of the other */
    uint8_t digest[OLV_SHA256_SIZE]; /* SHA-256 of the compressed one; not of an original that stays */
    uint64_t put_bytes;              /* written so far */
    struct olv_hasher *hasher;       /* of the shrinker, while compressing */
    int source;                      /* the original, open for reading; -1 */
    bool is_watched;
    struct frame_list frames; /* of the new file */
    enum olv_codec written;   /* the new file's */
};

/* Up to this size the calling thread does a file alone. */
enum { SHRINK_SMALL = FRAME_BYTES };

/* A task that still has to be told what to do. */
struct shrink_task shrink_task(int dir, const char *name, const struct olv_identity *identity);
/* Compresses into a fresh file with the attributes of the original, not synced yet. Call shrink_end in any
 * case. */
bool shrink_pack(struct shrinker *shrinker, struct shrink_task *task, struct olv_error *err);
/* Decompresses likewise, and checks every checksum. Gives up above `most_bytes`; without it, above a thousand
 * times the size and 1 GiB. */
bool shrink_unpack(struct shrinker *shrinker, struct shrink_task *task, struct olv_error *err);
/* Call when the fresh file is on disk: reads it back, compares it with what was read from the original, and
 * checks that that is unchanged. OLV_CHANGED if it is not. */
bool shrink_prove(struct shrinker *shrinker, struct shrink_task *task, struct olv_error *err);
/* Whether the original still is what was read, and nobody waits to write to it: asked again before it goes.
 */
bool shrink_is_unchanged(const struct shrink_task *task, struct olv_error *err);
void shrink_end(struct shrink_task *task);

#endif
