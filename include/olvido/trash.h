/* SPDX-License-Identifier: Apache-2.0 */
/* The trashes of the calling user, by the freedesktop.org Trash specification 1.0: the home trash, and one on
 * every other mount that needs one. What was discarded lies in `files/`, where it came from stands in
 * `info/`. Other programs use the same trashes. */
#ifndef OLVIDO_TRASH_H
#define OLVIDO_TRASH_H

#include "olvido/docket.h"
#include "olvido/error.h"
#include "olvido/observer.h"

#include <stdbool.h>
#include <stddef.h>

struct olv_trash; /* an opened trash */

/* Where the home trash of the calling user is: $XDG_DATA_HOME/Trash, or ~/.local/share/Trash. */
bool olv_trash_home(char *out, size_t size, struct olv_error *err);
/* Opens the home trash at this path. It must be ours alone and no link; with `create` it is made. NULL with
 * `err` set; err->sys is ENOENT when there is none. */
struct olv_trash *olv_trash_open(const char *path, bool create, struct olv_error *err);
void olv_trash_close(struct olv_trash *trash);

/* All trashes of the calling user, opened as they are needed. */
struct olv_trashes;
/* `home`: the path of the home trash, copied; NULL: there is none. NULL without memory. */
struct olv_trashes *olv_trashes_new(const char *home);
void olv_trashes_free(struct olv_trashes *trashes);
/* Opens every trash that there is already. What looks like one, but cannot be used, is told to the observer.
 */
void olv_trashes_find(struct olv_trashes *trashes, const struct olv_observer *observer);
size_t olv_trashes_count(const struct olv_trashes *trashes);
/* Borrowed from the set. */
struct olv_trash *olv_trashes_at(const struct olv_trashes *trashes, size_t i);

enum olv_trash_state {
    OLV_TRASH_SOUND,
    OLV_TRASH_TORN, /* its info file cannot be read: where it came from is not known */
    OLV_TRASH_LOST, /* an info file without anything in `files/` */
    OLV_TRASH_STRAY /* something in `files/` without an info file */
};
const char *olv_trash_state_word(enum olv_trash_state state);

struct olv_trash_item {
    enum olv_trash_state state;
    const char *name;           /* in `files/` */
    const char *path;           /* where it was; "" where that is not known */
    const char *run;            /* that discarded it; "" when another program did */
    struct olv_instant deleted; /* to the second; 0 where not known */
    struct olv_stat stat;       /* of what lies in `files/`; zero where it is lost */
    uint64_t size_bytes;        /* of a directory, all that is in it, where the trash knows that */
};

/* Calls `each` for every item, in no order; strings are borrowed for the call. Stops when it returns false.
 */
bool olv_trash_each(struct olv_trash *trash, bool (*each)(void *self, const struct olv_trash_item *item),
                    void *self, struct olv_error *err);

/* Looks one item up by its name in `files/`; false when there is none. Strings live until the next call or
 * the close. */
bool olv_trash_find(struct olv_trash *trash, const char *name, struct olv_trash_item *out);

/* The absolute path of the trash, of `files/` in it, and what that directory is known by. */
const char *olv_trash_path(const struct olv_trash *trash);
bool olv_trash_is_home(const struct olv_trash *trash);
const char *olv_trash_files_path(const struct olv_trash *trash);
struct olv_directory_id olv_trash_files_identity(const struct olv_trash *trash);

#endif
