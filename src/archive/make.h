/* SPDX-License-Identifier: Apache-2.0 */
/* Makes an archive: files in the order they are added, then a manifest. It is synced and read back before it
 * gets its name. docs/formats/archive.md describes the bytes. */
#ifndef OLV_ARCHIVE_MAKE_H
#define OLV_ARCHIVE_MAKE_H

#include "base/digest.h"
#include "file/fresh.h"
#include "olvido/member.h"
#include "olvido/observer.h"
#include "pack/frames.h"

/* The name of every archive's last member. */
#define ARCHIVE_MANIFEST ".olvido-manifest.jsonl"

/* The result of an entry. */
struct made_member {
    uint64_t sequence;             /* as given when added */
    const struct olv_error *error; /* why it is not in the archive; NULL: it is */
    uint64_t frame;                /* the archive's frame in which it begins */
    uint64_t at;                   /* offset of its header in the unpacked archive */
    bool has_header, has_digest;
    uint8_t header[OLV_SHA256_SIZE]; /* SHA-256 of its headers in the unpacked archive, */
    uint8_t digest[OLV_SHA256_SIZE]; /* and of its contents */
    bool has_clock;                  /* its rule goes by a time that a member does not keep: */
    enum olv_clock clock;            /* changed or born */
    struct olv_instant clock_time;
    const char *was;                 /* its name before Olvido's first act on it; NULL: the same */
    uint64_t was_bytes;              /* and its size */
    const struct olv_member *member; /* NULL: unknown */
};

struct making_options {
    int dir;           /* where the archive is made; borrowed */
    const char *label; /* of its temporary file */
    enum olv_codec codec;
    int level;
    enum olv_clock clock; /* the rule's */
    bool keeps;           /* the originals stay */
    unsigned workers;
    const char *run, *rule;        /* for the manifest; `rule` may be "" */
    const struct olv_notes *notes; /* the key for notes on files; borrowed */
    const struct olv_observer *observer;
    uint64_t files_before, bytes_before; /* done before this archive, for the observer */
    /* Called in the order of addition, when an entry's result is known. */
    void (*note_member)(void *self, const struct made_member *made);
    /* Called before that for an archived entry without a valid note: fills `was` if known. */
    void (*former)(void *self, struct made_member *made);
    void *self;
};

struct making;
struct making *making_begin(const struct making_options *options, struct olv_error *err);
/* Adds an entry. Its own problems are reported; false if the archive itself cannot be written. */
bool making_add(struct making *making, const struct olv_docket_entry *entry, uint64_t sequence,
                struct olv_error *err);
/* Adds the manifest and the end, fsyncs, reads everything back and compares it. */
bool making_finish(struct making *making, struct olv_error *err);
/* Its file, which has no name yet; borrowed. */
struct fresh *making_file(struct making *making);
/* The finished archive; borrowed from it. */
struct making_result {
    uint64_t members, bytes;         /* and bytes of their contents */
    uint64_t length;                 /* of the archive */
    struct olv_instant begun;        /* as in the manifest */
    const uint8_t *id;               /* its own id: 16 bytes */
    const uint8_t *manifest;         /* its SHA-256 */
    const struct frame_list *frames; /* all; those from `manifest_frame` on contain the manifest */
    size_t manifest_frame;
};
struct making_result making_result(const struct making *making);
/* If it was not published, it vanishes. */
void making_free(struct making *making);

#endif
