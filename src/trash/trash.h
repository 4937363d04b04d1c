/* SPDX-License-Identifier: Apache-2.0 */
/* What acts do with the trash. */
#ifndef OLV_TRASH_TRASH_H
#define OLV_TRASH_TRASH_H

#include "olvido/docket.h"
#include "olvido/text.h"
#include "olvido/trash.h"

#include <limits.h>
#include <stdatomic.h>

extern const char TRASH_SUFFIX[]; /* of an info file */
enum { TRASH_RUN_SIZE = 64, TRASH_SUFFIX_LEN = 10, TRASH_LARGEST_INFO = 65536 };

/* What making info files needs; one for each thread that makes any. Begins zeroed. */
struct olv_info_writer {
    struct olv_text text; /* of the info file under way */
    bool has_date;
    int64_t date_second; /* the second that `date` spells */
    char date[24];
    char collided[NAME_MAX + 1]; /* the last name that was taken: it is not tried again */
};
void olv_info_writer_free(struct olv_info_writer *writer);

struct olv_trash {
    int dir, files, info; /* descriptors; the last two are to be synced after items came or went */
    struct olv_stat files_stat;
    char path[PATH_MAX]; /* absolute, without links */
    char files_path[PATH_MAX];
    size_t top_len;                         /* of `path`: the mount's top directory; 0 for the home trash */
    struct olv_text found_text, found_path; /* of the item found last */
    char found_run[TRASH_RUN_SIZE];
    struct olv_info_writer writer;
    atomic_bool has_new;                 /* info files were made since olv_trash_take_new */
    struct trash_sizes *sizes;           /* of directories; see sizes.c */
    const struct olv_observer *observer; /* told of what cannot be read; NULL: nobody is */
};

/* Opens the trash in an open directory that is ours alone. `dir` becomes the trash's, or is closed. `top_len`
 * is the length of the mount's top directory in `path`, 0 for a home trash. */
struct olv_trash *olv_trash_open_at(int dir, const char *path, size_t top_len, bool create,
                                    struct olv_error *err);
/* The trash for what lies on this mount: the home trash if that is on it, too, else the mount's own (Trash
 * specification 1.0, "Trash directories"). Made where it is missing. Borrowed from the set. */
struct olv_trash *olv_trashes_for(struct olv_trashes *trashes, uint64_t mount, struct olv_error *err);
/* Whether what lies on this mount could be put into a trash, as far as can be said without making one. `home`
 * is the path of the home trash, or NULL. */
bool olv_trash_is_possible(const char *home, uint64_t mount);
/* The one whose `files/` this is, among those opened; NULL. */
struct olv_trash *olv_trashes_of_files(const struct olv_trashes *trashes, const char *files_path);
/* Writes what is written once for many items: the sizes of directories. */
bool olv_trashes_store(struct olv_trashes *trashes, struct olv_error *err);

/* A name that no other item can have, for when the plain one is taken: run and sequence number make it so. */
struct olv_trash_label {
    const char *run;
    uint64_t sequence;
};

/* Where something is to be put from, and how it is to be known. */
struct olv_putting {
    const char *name, *path;
    struct olv_instant when;
    struct olv_trash_label label;
    bool is_synced; /* what its info file says is to be on the disk at once */
};

/* Makes the info file of an item that will be put, and chooses its name. May run in another thread than all
 * else that is done with this trash, with a writer of that thread. False: nothing was made. */
bool olv_trash_prepare(struct olv_trash *trash, struct olv_info_writer *writer,
                       const struct olv_putting *putting, char out[NAME_MAX + 1], struct olv_error *err);
/* Takes that info file away again: nothing will be put. */
void olv_trash_abandon(struct olv_trash *trash, const char *item);
/* Moves `putting->name` from `dir` into the trash: the info file first (exclusively), then a rename that
 * replaces nothing. On success the name in the trash is in `out`; it holds the name of a prepared item
 * before, or "". On failure nothing has changed. */
bool olv_trash_put(struct olv_trash *trash, int dir, const struct olv_putting *putting,
                   char out[NAME_MAX + 1], struct olv_error *err);
/* Moves an item of the trash to `name` in `dir` and takes its info file away. `if_exists` and `out` are those
 * of olv_place. */
bool olv_trash_take(struct olv_trash *trash, const char *item, int dir, const char *name,
                    enum olv_if_exists if_exists, char out[NAME_MAX + 1], struct olv_error *err);
/* Removes an item for good, its info file last; a directory with all that is in it. */
bool olv_trash_remove(struct olv_trash *trash, const char *item, enum olv_kind kind, struct olv_error *err);

/* The sizes of directories (Trash specification 1.0, "The directory size cache"), collected for a batch. */
void trash_sizes_note(struct olv_trash *trash, const char *item, uint64_t allocated_bytes);
void trash_sizes_drop(struct olv_trash *trash, const char *item);
/* Writes what was noted and dropped into `directorysizes`. */
bool trash_sizes_store(struct olv_trash *trash, struct olv_error *err);
/* What `directorysizes` says of a directory, or 0. */
uint64_t trash_sizes_find(struct olv_trash *trash, const char *item);
void trash_sizes_free(struct trash_sizes *sizes);

/* Whether info files were made or mended since this was asked last, whose contents may still be in memory
 * only: then the file system of the trash is to be synced as a whole, for one by one would cost far more. */
bool olv_trash_take_new(struct olv_trash *trash);

/* The two names that olv_trash_put tries, for finding out after a crash which it took. */
void olv_trash_plain_name(char out[NAME_MAX + 1], const char *name);
void olv_trash_unique_name(char out[NAME_MAX + 1], const char *name, struct olv_trash_label label);
/* Writes the info file of an item again if it is missing or torn. */
bool olv_trash_mend_info(struct olv_trash *trash, const char *item, const char *path, struct olv_instant when,
                         const char *run, struct olv_error *err);

/* Takes away the info file of an item that never arrived, if it is the one that says `path`. */
void olv_trash_drop_info(struct olv_trash *trash, const char *item, const char *path);

bool olv_trash_has_info(const struct olv_trash *trash, const char *item);
/* The name of an item's info file. */
void trash_info_name(char out[NAME_MAX + 1], const char *item);
/* The info file (Trash specification 1.0, "Contents of a trash directory"). */
void olv_trash_info_write(struct olv_text *out, const char *path, const char *date, const char *run);
/* Percent-encoding as there: letters, digits and -._~/ stand for themselves. False for what is none, holds a
 * zero byte, or is empty. */
void olv_trash_encode(struct olv_text *out, const char *bytes);
bool olv_trash_decode(const char *text, size_t len, struct olv_text *out);
/* False when it is torn. `path` is decoded into it; `run` is "" where the file names none. */
bool olv_trash_info_read(const char *text, size_t len, struct olv_text *path, struct olv_instant *deleted,
                         char run[TRASH_RUN_SIZE]);
/* "2026-10-03T14:05:00" in local time, as the specification asks. */
void olv_trash_date(int64_t s, char out[24]);

#endif
