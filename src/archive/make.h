/* SPDX-License-Identifier: Apache-2.0 */
/* Making an archive: files go in, in the order in which they are added, and a manifest goes in last. What was
 * written is on the disk and read back before the archive gets its name. docs/formats/archive.md describes
 * the bytes. */
#ifndef OLV_ARCHIVE_MAKE_H
#define OLV_ARCHIVE_MAKE_H

#include "base/digest.h"
#include "file/fresh.h"
#include "olvido/member.h"
#include "olvido/observer.h"
#include "pack/frames.h"

/* What the last member of every archive is called. */
#define ARCHIVE_MANIFEST ".olvido-manifest.jsonl"

/* What became of an entry. */
struct made_member {
    uint64_t sequence;             /* as it was added */
    const struct olv_error *error; /* why it is not in the archive; NULL: it is */
    uint64_t frame;                /* of the archive: in which it begins */
    uint64_t at;                   /* where its header begins in the plain archive */
    bool has_header, has_digest;
    uint8_t header[OLV_SHA256_SIZE]; /* SHA-256 of its headers in the plain archive, */
    uint8_t digest[OLV_SHA256_SIZE]; /* and of its contents */
    bool has_clock;                  /* its rule goes by a time that a member does not keep by itself: */
    enum olv_clock clock;            /* changed or born */
    struct olv_instant clock_time;
    const char *was;                 /* what it was called before Olvido's first act on it; NULL: the same */
    uint64_t was_bytes;              /* and how long it was */
    const struct olv_member *member; /* NULL: it is not known */
};

struct making_options {
    int dir;           /* where the archive is made; borrowed */
    const char *label; /* of the file while it has no name */
    enum olv_codec codec;
    int level;
    enum olv_clock clock; /* that the rule goes by */
    bool keeps;           /* the originals stay */
    unsigned workers;
    const char *run, *rule;        /* for the manifest; `rule` may be "" */
    const struct olv_notes *notes; /* the key of notes on files; borrowed */
    const struct olv_observer *observer;
    uint64_t files_before, bytes_before; /* done before this archive, for the observer */
    /* Called in the order in which entries were added, when what became of one is known. */
    void (*note_member)(void *self, const struct made_member *made);
    /* Called before for one that is in the archive, and on which no note counts: fills `was`, where that is
     * known. */
    void (*former)(void *self, struct made_member *made);
    void *self;
};

struct making;
struct making *making_begin(const struct making_options *options, struct olv_error *err);
/* Adds an entry. What is wrong with it alone is told; false when the archive itself cannot be written. */
bool making_add(struct making *making, const struct olv_docket_entry *entry, uint64_t sequence,
                struct olv_error *err);
/* Adds the manifest and the end, brings all to the disk, reads it back and compares it. */
bool making_finish(struct making *making, struct olv_error *err);
/* Gives it its name, or what `if_exists` makes of it. Brings that to the disk, too. */
bool making_publish(struct making *making, const char *name, enum olv_if_exists if_exists,
                    char placed[NAME_MAX + 1], struct olv_error *err);
/* Takes the name away again. False where that cannot be. */
bool making_take_back(struct making *making, const char *placed);
/* What was made, when it is finished; borrowed from it. */
struct making_result {
    uint64_t members, bytes;         /* and those of their contents */
    uint64_t length;                 /* of the archive */
    struct olv_instant begun;        /* as the manifest says */
    const uint8_t *id;               /* that it has of its own: 16 bytes */
    const uint8_t *manifest;         /* its SHA-256 */
    const struct frame_list *frames; /* all; from `manifest_frame` on they have the manifest in them */
    size_t manifest_frame;
};
struct making_result making_result(const struct making *making);
/* What the file is known by. */
bool making_stat(const struct making *making, struct olv_stat *out, struct olv_error *err);
/* What was not published is gone. */
void making_free(struct making *making);

#endif
