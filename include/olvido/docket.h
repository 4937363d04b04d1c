/* SPDX-License-Identifier: Apache-2.0 */
/* The docket: the list of decisions that a run carries out, in segments of at most OLV_SEGMENT_ENTRIES that
 * stand for themselves. docs/formats/docket.md describes the bytes. */
#ifndef OLVIDO_DOCKET_H
#define OLVIDO_DOCKET_H

#include "olvido/act.h"
#include "olvido/codec.h"
#include "olvido/entry.h"
#include "olvido/error.h"
#include "olvido/policy.h"
#include "olvido/text.h"

#include <stddef.h>
#include <stdint.h>

#ifndef OLV_SEGMENT_ENTRIES /* the build for many batches of few entries has its own */
#define OLV_SEGMENT_ENTRIES 4096
#endif
enum { OLV_SEGMENT_MOST = 65536 }; /* where all are about one archive */

/* By what a file is known again within a run. */
struct olv_identity {
    enum olv_kind kind;
    bool has_born;
    uint64_t mount, inode, size_bytes;
    struct olv_instant modified, changed, born;
};

/* By what a directory is known again: the mount within a run, the device within a boot, and after that the
 * UUID of the file system where it is known (all zeros: it is not). An inode alone is no identity. */
struct olv_directory_id {
    uint64_t mount, device, inode;
    uint8_t uuid[16]; /* filled in when a segment is written */
};

/* What happens where an act finds its place taken. The numbers stand in dockets. */
enum olv_if_exists {
    OLV_REFUSE = 0,
    OLV_SKIP = 1,
    OLV_NUMBER = 2,
    OLV_SET_ASIDE = 3,
    OLV_REPLACE = 4,
    OLV_IF_EXISTS_COUNT
};
/* "refuse", "skip", "number", "set-aside", "replace". */
const char *olv_if_exists_word(enum olv_if_exists what);

/* What is in a directory that goes as a whole: judged together with it, and compared again before the act. */
struct olv_contents {
    uint64_t entries, bytes, allocated_bytes;
    struct olv_instant youngest; /* the latest change of state (ctime) of anything in it */
};

/* Where the file of an entry lies. The numbers stand in dockets. */
enum olv_place { OLV_IN_TREE = 0, OLV_IN_TRASH = 1, OLV_IN_DEPOT = 2, OLV_PLACES };

/* How an act is to be done: what its step says, or the options of a command. Strings may be NULL for "". */
struct olv_manner {
    enum olv_codec codec;
    int level;
    bool keeps;           /* the original stays */
    uint64_t most_bytes;  /* unpacking: it may become this large; 0: no such limit was given */
    enum olv_clock clock; /* archiving: the time that the rule goes by, where that is to be kept */
    const char *depot;    /* archiving: the name of the depot that the archive is for; "": none */
    const char *into;     /* archiving: the path of the archive */
    const char *text;     /* for an act that has a key of its own */
};

/* Where in an archive of a depot a file is, and by what it is known there. */
struct olv_location {
    uint8_t archive[16];     /* the id that the archive has of its own */
    enum olv_codec codec;    /* of its frames */
    uint64_t begins, within; /* where its frame begins; and its header, in the frame's plain bytes */
    uint64_t size_bytes;
    struct olv_instant modified;
    uint8_t member[32]; /* SHA-256 of its path in the archive */
    bool has_digest, has_header;
    uint8_t digest[32], header[32]; /* SHA-256 of its contents; and of its headers there */
    const char *twin;               /* where the other name of a hard link goes to; "": none does */
};

struct olv_docket_entry {
    uint32_t number;       /* within its segment, from 0 */
    uint32_t rule;         /* index in the policy; OLV_BY_HAND for a one-off command */
    uint32_t step;         /* from 1; 0 by hand */
    const char *rule_name; /* "" by hand */
    const struct olv_act *act;
    enum olv_place place;
    enum olv_if_exists if_exists;
    struct olv_instant due;
    struct olv_identity identity;        /* of what lies in a depot: its archive's */
    uint64_t links;                      /* names that the file has */
    struct olv_contents contents;        /* of a directory */
    const char *directory;               /* absolute path, no links in it */
    struct olv_directory_id at;          /* of that directory */
    const char *name;                    /* in that directory */
    const char *target;                  /* where an act puts it, or "" */
    const struct olv_manner *manner;     /* NULL: all zeros. From a reader never NULL, and no string in it */
    const struct olv_location *location; /* in a depot; else NULL */
};

/* The bytes that it is about: of a directory, those of the files in it. */
uint64_t olv_docket_entry_size(const struct olv_docket_entry *entry);
/* Appends the path that people know it by: of what lies in a depot, that of where it was. */
void olv_docket_entry_shown(const struct olv_docket_entry *entry, struct olv_text *out);
/* When it was modified last. */
struct olv_instant olv_docket_entry_modified(const struct olv_docket_entry *entry);

enum { OLV_BY_HAND = 0xFFFF, OLV_OF_TRASH = 0xFFFE /* the policy's `trash` */ };

/* Appends the absolute path of the entry. */
void olv_docket_entry_path(const struct olv_docket_entry *entry, struct olv_text *out);

/* Writing a segment: begin, add, read `bytes`. Strings are copied; a failed allocation shows in bytes.failed.
 */
struct olv_segment_writer {
    struct olv_text bytes;
    uint32_t entries, directories;
    struct olv_directory_id last; /* of the directory written last */
    struct olv_text last_path;    /* and its path */
    uint32_t systems;             /* file systems written */
    uint64_t system_mounts[16];   /* their mounts; those behind the last one are written again each time */
    struct olv_text manner;       /* written last */
    struct olv_text scratch;
    uint8_t rules_written[8192]; /* one bit for each rule */
};

void olv_segment_begin(struct olv_segment_writer *writer);
void olv_segment_add(struct olv_segment_writer *writer, const struct olv_docket_entry *entry);
void olv_segment_free(struct olv_segment_writer *writer);

/* Reading one: every offset and length is checked, for a segment may come from a damaged disk. */
struct olv_segment_reader;
/* Borrows the bytes. NULL with OLV_BROKEN when they are no segment. */
struct olv_segment_reader *olv_segment_open(const void *bytes, size_t len, struct olv_error *err);
/* The id of the boot in which it was written; "" where the system does not tell. */
const char *olv_segment_boot(const struct olv_segment_reader *reader);
/* Random bytes of this segment, from which the names are made that its new files have until they are
 * complete: filled when the first decision is read; the reader's. */
enum { OLV_SALT = 16 };
const uint8_t *olv_segment_salt(const struct olv_segment_reader *reader);
/* Fills `out`, whose strings are borrowed from the reader. False at the end, or when broken: then `err` has a
 * code. */
bool olv_segment_next(struct olv_segment_reader *reader, struct olv_docket_entry *out, struct olv_error *err);
void olv_segment_close(struct olv_segment_reader *reader);

/* For going through entries. The entry is borrowed. False ends it; with a code in `err` where something
 * failed. */
typedef bool (*olv_each_entry)(void *self, struct olv_docket_entry *entry, struct olv_error *err);

/* Many segments, kept in an unnamed temporary file until they are run or listed. Threads may add to it at
 * once. */
struct olv_spool;
struct olv_spool *olv_spool_new(struct olv_error *err);
bool olv_spool_add(struct olv_spool *spool, const struct olv_text *segment, struct olv_error *err);
/* False where what was added could not all be written. */
bool olv_spool_rewind(struct olv_spool *spool, struct olv_error *err);
/* Where the next segment begins; and going back there. */
long olv_spool_mark(struct olv_spool *spool);
bool olv_spool_go_to(struct olv_spool *spool, long mark, struct olv_error *err);
/* The next segment's bytes, into `out`. False at the end (err->code is OLV_OK) or on an error. */
bool olv_spool_next(struct olv_spool *spool, struct olv_text *out, struct olv_error *err);
/* Adds all segments of another one. */
bool olv_spool_append(struct olv_spool *spool, struct olv_spool *from, struct olv_error *err);
void olv_spool_free(struct olv_spool *spool);

/* ---- filling one ---- */

/* What tells the entries that must not be parted, because what is done to them is written once: appends the
 * same to `out` for each of them, and nothing for one by itself. */
typedef void (*olv_compose_key)(const struct olv_docket_entry *entry, struct olv_text *out);

struct olv_composing {
    struct olv_spool *spool; /* borrowed */
    struct olv_segment_writer segment;
    olv_compose_key key_of;
    struct olv_text key; /* of the entry added last */
    struct olv_text scratch;
};

/* `key_of` NULL: each is by itself. */
void olv_compose_begin(struct olv_composing *composing, struct olv_spool *spool, olv_compose_key key_of);
/* A segment is closed when it is full; but what has one key stays in one segment. */
bool olv_compose_add(struct olv_composing *composing, const struct olv_docket_entry *entry,
                     struct olv_error *err);
/* Adds what is left; nothing is added after that. Frees it in any case. */
bool olv_compose_end(struct olv_composing *composing, struct olv_error *err);
void olv_compose_abandon(struct olv_composing *composing);

/* ---- going through one, entry by entry ---- */

/* False when `each` said so, or with `err`. */
bool olv_segment_each(const struct olv_text *segment, olv_each_entry each, void *self, struct olv_error *err);
/* The same for all segments; rewinds the docket before and afterwards. */
bool olv_docket_each(struct olv_spool *docket, olv_each_entry each, void *self, struct olv_error *err);

#endif
