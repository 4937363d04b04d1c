/* SPDX-License-Identifier: Apache-2.0 */
/* What acts do with the trash. */
#ifndef OLV_TRASH_TRASH_H
#define OLV_TRASH_TRASH_H

#include "file/rename.h"
#include "file/unlink.h"
#include "olvido/docket.h"
#include "olvido/text.h"
#include "olvido/trash.h"

#include <limits.h>
#include <stdatomic.h>

extern const char TRASH_SUFFIX[]; /* of an info file */
enum { TRASH_RUN_SIZE = 64, TRASH_SUFFIX_LEN = 10, TRASH_LARGEST_INFO = 4 * 65536 };

/* What making info files needs; one per thread that makes any. Starts zeroed. */
struct olv_info_writer {
    struct olv_text text; /* of the current info file */
    bool has_date;
    int64_t date_second; /* the second that `date` shows */
    char date[24];
    char collided[NAME_MAX + 1]; /* the last name that was taken: it is not tried again */
};
void olv_info_writer_free(struct olv_info_writer *writer);

/* What an info file says. */
struct trash_info {
    struct olv_text path; /* decoded; owned */
    struct olv_instant deleted;
    char run[TRASH_RUN_SIZE]; /* "" if it has none */
    struct olv_text rule;     /* the rule that discarded it, or empty; owned */
    bool has_contents;        /* of a directory: so many files and bytes were in it */
    uint64_t files, bytes;
};

struct olv_trash {
    int dir, files, info; /* descriptors; the last two are synced after items came or went */
    struct olv_stat files_stat;
    char path[PATH_MAX]; /* absolute, without links */
    char files_path[PATH_MAX];
    size_t top_len;             /* length of the mount's top directory in `path`; 0 for the home trash */
    struct olv_text found_text; /* of the last item found */
    struct trash_info found;
    struct olv_info_writer writer;
    bool is_used;                        /* items entered or left it, or are about to */
    atomic_bool has_new;                 /* info files were made since olv_trash_take_new */
    struct trash_sizes *sizes;           /* of directories; see sizes.c */
    const struct olv_observer *observer; /* told of what cannot be read; NULL: nobody */
};

/* Opens the trash in an open directory that is ours alone. Takes over `dir`, or closes it. `top_len` is the
 * length of the mount's top directory in `path`, 0 for a home trash. */
struct olv_trash *olv_trash_open_at(int dir, const char *path, size_t top_len, bool create,
                                    struct olv_error *err);
/* Whether items can be put into it; else `err` has OLV_STATE. */
bool trash_is_writable(const struct olv_trash *trash, struct olv_error *err);
/* The trash for files on this mount: the home trash if it is there, too, else the mount's own (Trash
 * specification 1.0, "Trash directories"). Created if missing. Borrowed from the set. */
struct olv_trash *olv_trashes_for(struct olv_trashes *trashes, uint64_t mount, struct olv_error *err);
/* Whether files on this mount could be put into a trash, as far as can be told without making one. `home` is
 * the path of the home trash, or NULL. */
bool olv_trash_is_possible(const char *home, uint64_t mount);
/* The opened one with this `files/`; NULL. */
struct olv_trash *olv_trashes_of_files(const struct olv_trashes *trashes, const char *files_path);
/* Writes what is written once for many items: the sizes of directories. */
bool olv_trashes_store(struct olv_trashes *trashes, struct olv_error *err);

/* Makes a unique name for when the plain one is taken: from run and sequence number. */
struct olv_trash_label {
    const char *run;
    uint64_t sequence;
};

/* What to put, and under which name. */
struct olv_putting {
    const char *name, *path;
    const char *rule;                    /* that discards it; "" or NULL: a person does */
    const struct olv_contents *contents; /* of a directory; else NULL */
    struct olv_instant when;
    struct olv_trash_label label;
    bool is_synced;  /* fsync its info file at once */
    bool has_others; /* it has other hard links, which look the same: so its item has a name of its own, by
                        which settling knows it */
    const struct rename_witness *witness;
};

/* Creates the info file of an item, and chooses its name. May run on another thread than everything else with
 * this trash, with that thread's writer. False: nothing was made. */
bool olv_trash_prepare(struct olv_trash *trash, struct olv_info_writer *writer,
                       const struct olv_putting *putting, char out[NAME_MAX + 1], struct olv_error *err);
/* Removes that info file again: nothing will be put. */
void olv_trash_abandon(struct olv_trash *trash, const char *item);
/* Moves `putting->name` from `dir` into the trash: first the info file (exclusively), then a rename that
 * replaces nothing. `out` is the name of a prepared item, or "", and gets the name in the trash. On failure
 * nothing has changed. */
bool olv_trash_put(struct olv_trash *trash, int dir, const struct olv_putting *putting,
                   char out[NAME_MAX + 1], struct olv_error *err);
/* Moves an item to `name` in `dir` and removes its info file. The rest are those of rename_to. */
bool olv_trash_take(struct olv_trash *trash, const char *item, int dir, const char *name,
                    enum olv_if_exists if_exists, const struct rename_witness *witness,
                    char out[NAME_MAX + 1], struct olv_error *err);
/* Removes an item for good, its info file last; a directory with everything in it. `how`: see
 * olv_tree_remove. */
bool olv_trash_remove(struct olv_trash *trash, const char *item, enum olv_kind kind,
                      const struct unlinking *how, struct olv_error *err);

/* The sizes of directories (Trash specification 1.0, "The directory size cache"), collected for a batch. */
void trash_sizes_note(struct olv_trash *trash, const char *item, uint64_t allocated_bytes);
void trash_sizes_drop(struct olv_trash *trash, const char *item);
/* Writes what was noted and dropped into `directorysizes`. */
bool trash_sizes_store(struct olv_trash *trash, struct olv_error *err);
/* What `directorysizes` says of a directory, or 0. */
uint64_t trash_sizes_find(struct olv_trash *trash, const char *item);
void trash_sizes_free(struct trash_sizes *sizes);

/* Whether info files were made or mended since this was last asked, whose contents may be in memory only:
 * then the trash's file system must be synced as a whole, which is far cheaper than one by one. */
bool olv_trash_take_new(struct olv_trash *trash);

/* The two names that olv_trash_put tries, to find out after a crash which it took. */
void olv_trash_plain_name(char out[NAME_MAX + 1], const char *name);
void olv_trash_unique_name(char out[NAME_MAX + 1], const char *name, struct olv_trash_label label);
/* Whose the info file of an item is. */
enum olv_info_owner {
    OLV_INFO_NONE,   /* there is none */
    OLV_INFO_OURS,   /* it says this path and this run */
    OLV_INFO_OTHERS, /* another path or run */
    OLV_INFO_TORN    /* it says neither: the beginning of one, as far as it goes */
};
enum olv_info_owner olv_trash_info_owner(struct olv_trash *trash, const char *item, const char *path,
                                         const char *run);
/* Writes the info file of an item anew; of `putting` only path, contents, time and run count. */
bool olv_trash_mend_info(struct olv_trash *trash, const char *item, const struct olv_putting *putting,
                         struct olv_error *err);

bool olv_trash_has_info(const struct olv_trash *trash, const char *item);
/* The name of an item's info file. */
void trash_info_name(char out[NAME_MAX + 1], const char *item);
/* The info file (Trash specification 1.0, "Contents of a trash directory"). `contents` NULL: it is no
 * directory. */
void olv_trash_info_write(struct olv_text *out, const char *path, const char *date, const char *run,
                          const char *rule, const struct olv_contents *contents);
/* Percent-encodes: letters, digits and -._~/ stay as they are; and decodes: false for invalid or empty text,
 * or a zero byte. */
void olv_trash_encode(struct olv_text *out, const char *bytes);
bool olv_trash_decode(const char *text, size_t len, struct olv_text *out);
/* False if it is torn. May be used again with the same `out`, which starts zeroed. */
bool olv_trash_info_read(const char *text, size_t len, struct trash_info *out);
/* "2026-10-03T14:05:00" in local time, as the specification requires. */
void olv_trash_date(int64_t s, char out[24]);

#endif
