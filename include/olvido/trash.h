/* SPDX-License-Identifier: Apache-2.0 */
/* The calling user's trashes by the freedesktop.org Trash specification 1.0: the home trash, and one on each
 * other mount that needs one. Items lie in `files/`; `info/` says where they came from. Other programs use
 * the same trashes. */
#ifndef OLVIDO_TRASH_H
#define OLVIDO_TRASH_H

#include "olvido/docket.h"
#include "olvido/error.h"
#include "olvido/observer.h"

#include <stdbool.h>
#include <stddef.h>

struct olv_trash; /* an opened trash */

/* Path of the home trash: $XDG_DATA_HOME/Trash, or ~/.local/share/Trash. */
bool olv_trash_home(char *out, size_t size, struct olv_error *err);
/* Opens the home trash at this path. It must belong to us alone and be no link; `create` creates it. NULL
 * with `err`; err->sys is ENOENT if there is none. */
struct olv_trash *olv_trash_open(const char *path, bool create, struct olv_error *err);
void olv_trash_close(struct olv_trash *trash);

/* All trashes of the calling user, opened on demand. */
struct olv_trashes;
/* `home`: the path of the home trash (copied), or NULL for none. NULL without memory. */
struct olv_trashes *olv_trashes_new(const char *home);
void olv_trashes_free(struct olv_trashes *trashes);
/* Opens every existing trash. One that cannot be used is reported to the observer. */
void olv_trashes_find(struct olv_trashes *trashes, const struct olv_observer *observer);
size_t olv_trashes_count(const struct olv_trashes *trashes);
/* Borrowed from the set. */
struct olv_trash *olv_trashes_at(const struct olv_trashes *trashes, size_t i);

enum olv_trash_state {
    OLV_TRASH_SOUND,
    OLV_TRASH_TORN, /* its info file is unreadable: its original place is unknown */
    OLV_TRASH_LOST, /* an info file with nothing in `files/` */
    OLV_TRASH_STRAY /* something in `files/` without an info file */
};
const char *olv_trash_state_word(enum olv_trash_state state);

struct olv_trash_item {
    enum olv_trash_state state;
    const char *name;           /* in `files/` */
    const char *path;           /* its original path; "" if unknown */
    const char *run;            /* the run that discarded it; "" if another program did */
    const char *rule;           /* the rule that did; "" if a person did */
    struct olv_instant deleted; /* to the second; 0 if unknown */
    struct olv_stat stat;       /* of the item in `files/`; zeros if it is lost */
    uint64_t size_bytes;        /* of a directory: everything in it, if the trash knows that */
    uint64_t files;             /* 1; of a directory the files in it, if `has_contents` */
    bool has_contents;          /* it was noted what is in the directory, when it was put there */
};

/* Calls `each` for every item, in no particular order, until it returns false; strings are valid during the
 * call. */
bool olv_trash_each(struct olv_trash *trash, bool (*each)(void *self, const struct olv_trash_item *item),
                    void *self, struct olv_error *err);

/* Finds an item by its name in `files/`; false if there is none. Strings are valid until the next call or
 * close. */
bool olv_trash_find(struct olv_trash *trash, const char *name, struct olv_trash_item *out);

/* The absolute path of the trash, of its `files/`, and that directory's identity. */
const char *olv_trash_path(const struct olv_trash *trash);
bool olv_trash_is_home(const struct olv_trash *trash);
int olv_trash_files(const struct olv_trash *trash); /* open, and borrowed */
const char *olv_trash_files_path(const struct olv_trash *trash);
struct olv_directory_id olv_trash_files_identity(const struct olv_trash *trash);

#endif
