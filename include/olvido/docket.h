/* SPDX-License-Identifier: Apache-2.0 */
/* The docket: the list of decisions that a run carries out. It is cut into segments, each of which the ledger
 * commits to before its first act: of at most OLV_SEGMENT_ENTRIES, or of OLV_SEGMENT_MOST that belong
 * together. A segment is one page or more; a page is self-contained, and small enough to be in memory.
 * docs/formats/docket.md describes the bytes. */
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

#ifndef OLV_SEGMENT_ENTRIES /* the test build with many small batches sets its own */
#define OLV_SEGMENT_ENTRIES 4096
#endif
enum { OLV_SEGMENT_MOST = 65536 };
#ifndef OLV_PAGE_FULL /* likewise */
#define OLV_PAGE_FULL (2 << 20)
#endif
/* A page gets no further entry when it has so many bytes, or when the paths of its entries spelt out have:
 * what reads it, and the ledger, spell them out. None is longer than OLV_PAGE_MOST. */
enum { OLV_PAGE_MOST = 4 << 20 };

/* What identifies a file within a run. */
struct olv_identity {
    enum olv_kind kind;
    bool has_born;
    uint64_t mount, inode, size_bytes;
    struct olv_instant modified, changed, born;
};

/* What identifies a directory: its mount within a run, its device within a boot, and across boots the UUID of
 * its file system if known (else all zeros). An inode alone is no identity. */
struct olv_directory_id {
    uint64_t mount, device, inode;
    uint8_t uuid[16]; /* filled in when a segment is written */
};

/* What to do when an act's destination exists. These numbers are stored in dockets. */
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

/* Totals of a directory that goes as a whole: judged together with it, and compared again before the act. */
struct olv_contents {
    uint64_t entries; /* in it, whatever they are */
    uint64_t files;   /* of those, what is no directory */
    uint64_t bytes, allocated_bytes;
    struct olv_instant youngest; /* the latest ctime of anything in it */
};

/* Where an entry's file lies. These numbers are stored in dockets. */
enum olv_place { OLV_IN_TREE = 0, OLV_IN_TRASH = 1, OLV_IN_DEPOT = 2, OLV_PLACES };

/* Where a file is in an archive of a depot, and what identifies it there. */
struct olv_location {
    uint8_t archive[16];     /* the archive's own id */
    enum olv_codec codec;    /* of its frames */
    uint64_t begins, within; /* where its frame begins; offset of its header in the frame's plain bytes */
    uint64_t size_bytes;
    struct olv_instant modified;
    uint8_t member[32]; /* SHA-256 of its path in the archive */
    bool has_digest, has_header;
    uint8_t digest[32], header[32]; /* SHA-256 of its contents; of its headers in the archive */
    const char *twin;               /* where the other name of a hard link goes; "": it does not go along */
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
    struct olv_identity identity; /* in a depot: of its archive */
    uint64_t links;               /* number of hard links */
    bool is_readonly, is_others;  /* by hand: nobody may write it; it belongs to another user */
    bool is_emptied; /* a directory: what is in it goes before, one by one, and then it is compared only with
                        its identity, and must be empty */
    struct olv_contents contents;        /* of a directory */
    const char *directory;               /* absolute path without links */
    struct olv_directory_id at;          /* identity of that directory */
    const char *name;                    /* in that directory */
    const char *target;                  /* the destination, or "" */
    const void *arguments;               /* the act's struct; NULL if it has none */
    const struct olv_location *location; /* in a depot; else NULL */
};

/* How many files it is: limits, questions and sums count what is in a directory, and not the directory. */
uint64_t olv_docket_entry_files(const struct olv_docket_entry *entry);
/* The same where it was not done: that is something, also if it is an empty directory. */
static inline uint64_t olv_undone_files(uint64_t files)
{
    return files ? files : 1;
}
/* Size in bytes; of a directory, the total of its files. */
uint64_t olv_docket_entry_size(const struct olv_docket_entry *entry);
/* Appends the path that people know; of what lies in a trash or a depot, its original path, or where it goes
 * back to. */
void olv_docket_entry_shown(const struct olv_docket_entry *entry, struct olv_text *out);
/* When it was last modified. */
struct olv_instant olv_docket_entry_modified(const struct olv_docket_entry *entry);

enum { OLV_SALT = 16 };
enum { OLV_BY_HAND = 0xFFFF, OLV_OF_TRASH = 0xFFFE /* the policy's `trash` */ };

/* Appends the absolute path of the entry. */
void olv_docket_entry_path(const struct olv_docket_entry *entry, struct olv_text *out);

/* The directories above the last path written, from the root on: each is written once, as a name and its
 * parent. */
struct olv_page_way {
    struct olv_text path;
    struct olv_page_step {
        uint32_t number;
        size_t end; /* of its path in `path` */
    } * steps;      /* owned */
    size_t depth, cap;
};

/* Writes a page: begin or turn, add, then take `bytes`. Strings are copied; a failed allocation shows in
 * bytes.failed. No path is longer than OLV_LONGEST_PATH. Starts zeroed. */
struct olv_page_writer {
    struct olv_text bytes;
    uint32_t first, entries; /* number of its first entry in the segment; how many it has */
    uint32_t directories, paths;
    size_t spelt;                     /* bytes of its paths, spelt out */
    struct olv_directory_id last;     /* the last directory written, */
    struct olv_page_way here, target; /* its path, and that of the last target */
    uint32_t systems;                 /* number of file systems written */
    uint64_t system_mounts[16];       /* their mounts; those beyond the last are written each time */
    struct olv_page_arguments {       /* the last arguments written: */
        size_t at, len;               /* where in `bytes` */
        uint32_t number;
    } arguments[16];
    uint32_t argument_count; /* written; those beyond 16 take the oldest one's place */
    struct olv_text scratch, boot;
    uint8_t salt[OLV_SALT];      /* of the segment */
    uint8_t rules_written[8192]; /* one bit per rule */
};

/* The first page of a segment. */
void olv_page_begin(struct olv_page_writer *writer);
/* The next page of the same segment. */
void olv_page_turn(struct olv_page_writer *writer);
void olv_page_add(struct olv_page_writer *writer, const struct olv_docket_entry *entry);
bool olv_page_is_full(const struct olv_page_writer *writer);
void olv_page_free(struct olv_page_writer *writer);

/* What a page says of itself first. */
enum { OLV_PAGE_HEAD = 20 };
struct olv_page_head {
    uint32_t len;     /* in bytes, with the head */
    uint32_t first;   /* number of its first entry in the segment; 0: a segment begins */
    uint32_t entries; /* how many it has */
};
/* Of OLV_PAGE_HEAD bytes. False with OLV_BROKEN if they are none. */
bool olv_page_head(const void *bytes, struct olv_page_head *out, struct olv_error *err);

/* Reads a page. Every offset and length is checked, because it may come from a damaged disk. */
struct olv_page_reader;
/* Borrows the page. NULL with OLV_BROKEN if it is none. */
struct olv_page_reader *olv_page_open(const struct olv_text *page, struct olv_error *err);
/* The id of the boot it was written in; "" if the system does not tell. */
const char *olv_page_boot(const struct olv_page_reader *reader);
/* Random bytes, the same in all pages of a segment; temporary names of new files are derived from them.
 * Filled when the first entry is read; owned by the reader. */
const uint8_t *olv_page_salt(const struct olv_page_reader *reader);
/* Fills `out`, with strings borrowed from the reader. False at the end, or if broken: then `err` has a code.
 */
bool olv_page_next(struct olv_page_reader *reader, struct olv_docket_entry *out, struct olv_error *err);
void olv_page_close(struct olv_page_reader *reader);
/* The page that begins at this byte of a file of pages. False at its end (err->code is OLV_OK) or on an
 * error: OLV_BROKEN if there is none. */
bool olv_page_read(int fd, uint64_t at, struct olv_text *out, struct olv_error *err);

/* Called for each entry (borrowed). Returning false stops; on failure `err` has a code. */
typedef bool (*olv_each_entry)(void *self, struct olv_docket_entry *entry, struct olv_error *err);

/* Pages one after the other, kept in memory while they are few, then in an unnamed temporary file, until they
 * are run or listed. A position is a byte: 0, or where a page ends. */
struct olv_spool;
struct olv_spool *olv_spool_new(struct olv_error *err);
/* Threads may add at the same time; the pages of one segment are added by one of them alone. */
bool olv_spool_add(struct olv_spool *spool, const struct olv_text *page, struct olv_error *err);
/* Reads the page at `*at`, and moves on behind it. False at the end (err->code is OLV_OK) or on an error.
 * Threads may read at the same time, while none adds. */
bool olv_spool_read(const struct olv_spool *spool, uint64_t *at, struct olv_text *out, struct olv_error *err);
/* Only what the page at `at` says of itself. */
bool olv_spool_head(const struct olv_spool *spool, uint64_t at, struct olv_page_head *out,
                    struct olv_error *err);
/* Adds all pages of another spool. */
bool olv_spool_append(struct olv_spool *spool, const struct olv_spool *from, struct olv_error *err);
void olv_spool_free(struct olv_spool *spool);

/* ---- filling one ---- */

/* Keeps entries together whose results are written at once: appends the same key to `out` for all of them,
 * and nothing for an entry that stands alone. */
typedef void (*olv_compose_key)(const struct olv_docket_entry *entry, struct olv_text *out);

struct olv_composing {
    struct olv_spool *spool; /* borrowed */
    struct olv_page_writer page;
    olv_compose_key key_of;
    struct olv_text key; /* of the last entry added */
    struct olv_text scratch, target;
};

/* `key_of` NULL: every entry stands alone. */
void olv_compose_begin(struct olv_composing *composing, struct olv_spool *spool, olv_compose_key key_of);
/* A segment ends when it has its number of entries, or with its page; but entries with the same key stay in
 * one, in several pages. Fails, naming the path, if one is longer than OLV_LONGEST_PATH. */
bool olv_compose_add(struct olv_composing *composing, const struct olv_docket_entry *entry,
                     struct olv_error *err);
/* Adds what is left; nothing can be added afterwards. Frees it in any case. */
bool olv_compose_end(struct olv_composing *composing, struct olv_error *err);
void olv_compose_abandon(struct olv_composing *composing);

/* ---- going through one, entry by entry ---- */

/* False if `each` returned false, or with `err`. */
bool olv_page_each(const struct olv_text *page, olv_each_entry each, void *self, struct olv_error *err);
/* The same for all pages. */
bool olv_docket_each(const struct olv_spool *docket, olv_each_entry each, void *self, struct olv_error *err);

#endif
