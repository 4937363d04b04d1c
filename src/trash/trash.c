/* SPDX-License-Identifier: Apache-2.0 */
/* Opening, filling and emptying the trash. An item exists once its info file does, and that file is made
 * exclusively: so two programs never choose the same name, and a rename that replaces nothing cannot lose
 * what lies there. */
#include "trash/trash.h"

#include "file/place.h"
#include "file/tree.h"
#include "olvido/accounts.h"
#include "os/durable.h"
#include "os/os.h"
#include "os/private.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static const char SUFFIX[] = ".trashinfo";
enum { SUFFIX_LEN = sizeof SUFFIX - 1, LARGEST_INFO = 65536 };

bool olv_trash_home(char *out, size_t size, struct olv_error *err)
{
    return olv_user_place("XDG_DATA_HOME", ".local/share", "Trash", out, size, err);
}

/* Said once, before anything is tried, instead of once for every file. */
static bool is_writable(int dir, const char *path, struct olv_error *err)
{
    if (faccessat(dir, ".", W_OK | X_OK, AT_EACCESS) == 0)
        return true;
    olv_fail_system(err, path, "the trash cannot be written");
    return olv_error_as(err, OLV_STATE);
}

static bool open_parts(struct olv_trash *trash, bool create, struct olv_error *err)
{
    const char *path = trash->path;
    trash->files = olv_private_open(trash->dir, "files", create, path, "`files` in the trash", err);
    if (trash->files < 0)
        return false;
    trash->info = olv_private_open(trash->dir, "info", create, path, "`info` in the trash", err);
    if (trash->info < 0)
        return false;
    if (create && (!is_writable(trash->files, path, err) || !is_writable(trash->info, path, err)))
        return false;
    if (!olv_os_stat(trash->files, "", &trash->files_stat))
        return olv_fail_system(err, path, "cannot look at the trash");
    if ((size_t)snprintf(trash->files_path, sizeof trash->files_path, "%s/files", path) >=
        sizeof trash->files_path)
        return olv_fail(err, OLV_STATE, "the path of the trash is too long");
    return true;
}

struct olv_trash *olv_trash_open_at(int dir, const char *path, size_t top_len, bool create,
                                    struct olv_error *err)
{
    struct olv_trash *trash = calloc(1, sizeof *trash);
    if (!trash) {
        olv_fail_memory(err);
        close(dir);
        return NULL;
    }
    trash->dir = dir;
    trash->files = trash->info = -1;
    trash->date_second = -1;
    trash->top_len = top_len;
    snprintf(trash->path, sizeof trash->path, "%s", path);
    if (open_parts(trash, create, err))
        return trash;
    olv_trash_close(trash);
    return NULL;
}

struct olv_trash *olv_trash_open(const char *path, bool create, struct olv_error *err)
{
    char real[PATH_MAX];
    int dir;
    if (create && !olv_make_parents(path, err))
        return NULL;
    dir = olv_private_open(AT_FDCWD, path, create, path, "the trash", err);
    if (dir < 0)
        return NULL;
    if (realpath(path, real))
        return olv_trash_open_at(dir, real, 0, create, err);
    olv_fail_system(err, path, "cannot look at the trash");
    close(dir);
    return NULL;
}

void olv_trash_close(struct olv_trash *trash)
{
    if (!trash)
        return;
    if (trash->info >= 0)
        close(trash->info);
    if (trash->files >= 0)
        close(trash->files);
    if (trash->dir >= 0)
        close(trash->dir);
    olv_text_free(&trash->text);
    olv_text_free(&trash->found_text);
    olv_text_free(&trash->found_path);
    trash_sizes_free(trash->sizes);
    free(trash);
}

const char *olv_trash_path(const struct olv_trash *trash)
{
    return trash->path;
}

bool olv_trash_is_home(const struct olv_trash *trash)
{
    return trash->top_len == 0;
}

const char *olv_trash_files_path(const struct olv_trash *trash)
{
    return trash->files_path;
}

void olv_trash_files_identity(const struct olv_trash *trash, uint64_t *mount, uint64_t *inode)
{
    *mount = trash->files_stat.mount;
    *inode = trash->files_stat.inode;
}

/* ---- putting ---- */

static void info_name(char out[NAME_MAX + 1], const char *item)
{
    snprintf(out, NAME_MAX + 1, "%.*s%s", NAME_MAX - SUFFIX_LEN, item, SUFFIX);
}

void olv_trash_plain_name(char out[NAME_MAX + 1], const char *name)
{
    snprintf(out, NAME_MAX + 1, "%.*s", NAME_MAX - SUFFIX_LEN, name);
}

void olv_trash_unique_name(char out[NAME_MAX + 1], const char *name, struct olv_trash_label label)
{
    char tail[80];
    int len = snprintf(tail, sizeof tail, ".%.40s-%llu", label.run, (unsigned long long)label.sequence);
    snprintf(out, NAME_MAX + 1, "%.*s%s", NAME_MAX - SUFFIX_LEN - len, name, tail);
}

/* Makes the info file of `item`, exclusively; the text is ready in trash->text. */
static bool make_info(struct olv_trash *trash, const char *item, struct olv_error *err)
{
    char name[NAME_MAX + 1];
    int fd;
    info_name(name, item);
    fd = openat(trash->info, name, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
    if (fd < 0)
        return olv_fail_system(err, name, "cannot make the info file in the trash");
    if (olv_write_all(fd, trash->text.data, trash->text.len)) {
        close(fd);
        return true;
    }
    olv_fail_system(err, name, "cannot write the info file in the trash");
    close(fd);
    unlinkat(trash->info, name, 0);
    return false;
}

static bool move_in(struct olv_trash *trash, int dir, const char *name, const char *item,
                    struct olv_error *err)
{
    char info[NAME_MAX + 1];
    if (olv_os_rename_new(dir, name, trash->files, item))
        return true;
    olv_fail_system(err, name, "cannot move it into the trash");
    if (err->sys == EXDEV)
        olv_fail(err, OLV_SYSTEM,
                 "it cannot be moved into the trash of its file system: another subvolume or a bind mount "
                 "lies between");
    info_name(info, item);
    unlinkat(trash->info, info, 0);
    return false;
}

/* In a mount's own trash paths are told from its top directory (Trash specification 1.0, "Contents of a trash
 * directory"). */
static const char *shown_path(const struct olv_trash *trash, const char *path)
{
    size_t top = trash->top_len > 1 ? trash->top_len : 0; /* of "/" nothing but the slash goes */
    if (trash->top_len == 0 || strncmp(path, trash->path, top) != 0 || path[top] != '/')
        return path;
    return path + top + 1;
}

static void write_info_text(struct olv_trash *trash, const char *path, struct olv_instant when,
                            const char *run)
{
    if (trash->date_second != when.s) {
        olv_trash_date(when.s, trash->date);
        trash->date_second = when.s;
    }
    olv_text_clear(&trash->text);
    olv_trash_info_write(&trash->text, shown_path(trash, path), trash->date, run);
}

bool olv_trash_put(struct olv_trash *trash, int dir, const char *name, const char *path,
                   struct olv_instant when, struct olv_trash_label label, char out[NAME_MAX + 1],
                   struct olv_error *err)
{
    write_info_text(trash, path, when, label.run);
    if (trash->text.failed)
        return olv_fail_memory(err);
    olv_trash_plain_name(out, name);
    if (strcmp(out, trash->collided) != 0) {
        if (make_info(trash, out, err) && move_in(trash, dir, name, out, err))
            return true;
        if (err->sys != EEXIST)
            return false;
        memcpy(trash->collided, out, sizeof trash->collided);
    }
    olv_trash_unique_name(out, name, label);
    return make_info(trash, out, err) && move_in(trash, dir, name, out, err);
}

static bool info_says(struct olv_trash *trash, const char *info, const char *path)
{
    struct olv_text text = {0}, said = {0};
    struct olv_instant deleted;
    struct olv_error ignored = {0};
    char run[TRASH_RUN_SIZE];
    bool is_same = olv_read_file(trash->info, info, LARGEST_INFO, &text, &ignored) &&
                   olv_trash_info_read(olv_text_string(&text), text.len, &said, &deleted, run) &&
                   strcmp(said.data, shown_path(trash, path)) == 0;
    olv_text_free(&text);
    olv_text_free(&said);
    return is_same;
}

/* Whether the info file is the beginning of the one that this path would have got: it was being written when
 * everything stopped. */
static bool info_is_begun(struct olv_trash *trash, const char *info, const char *path)
{
    struct olv_text there = {0};
    struct olv_error ignored = {0};
    bool is_begun;
    write_info_text(trash, path, (struct olv_instant){0}, "");
    is_begun = !trash->text.failed && olv_read_file(trash->info, info, LARGEST_INFO, &there, &ignored) &&
               there.len < trash->text.len &&
               memcmp(olv_text_string(&there), trash->text.data, there.len) == 0;
    olv_text_free(&there);
    return is_begun;
}

void olv_trash_drop_info(struct olv_trash *trash, const char *item, const char *path)
{
    char name[NAME_MAX + 1];
    struct olv_stat stat;
    info_name(name, item);
    if (olv_os_stat(trash->files, item, &stat))
        return;
    if (info_says(trash, name, path) || info_is_begun(trash, name, path))
        unlinkat(trash->info, name, 0);
}

bool olv_trash_mend_info(struct olv_trash *trash, const char *item, const char *path, struct olv_instant when,
                         const char *run, struct olv_error *err)
{
    char name[NAME_MAX + 1];
    info_name(name, item);
    if (info_says(trash, name, path))
        return true;
    write_info_text(trash, path, when, run);
    return olv_publish(trash->info, name, trash->text.data, trash->text.len, err);
}

static void drop_info_of(struct olv_trash *trash, const char *item)
{
    char info[NAME_MAX + 1];
    info_name(info, item);
    unlinkat(trash->info, info,
             0); /* should this fail, an info file without an item remains, which is harmless */
    trash_sizes_drop(trash, item);
    trash->collided[0] = '\0';
}

bool olv_trash_take(struct olv_trash *trash, const char *item, int dir, const char *name,
                    enum olv_if_exists if_exists, char out[NAME_MAX + 1], struct olv_error *err)
{
    if (!olv_place(trash->files, item, dir, name, if_exists, out, err))
        return err->code == OLV_EXISTS
                   ? olv_fail(err, OLV_EXISTS, "its place is taken, so it stays in the trash")
                   : false;
    drop_info_of(trash, item);
    return true;
}

bool olv_trash_remove(struct olv_trash *trash, const char *item, enum olv_kind kind, struct olv_error *err)
{
    if (kind != OLV_KIND_UNKNOWN && !olv_tree_remove(trash->files, item, kind, err))
        return false;
    drop_info_of(trash, item);
    return true;
}

bool olv_trash_sync(struct olv_trash *trash, struct olv_error *err)
{
    if (!trash_sizes_store(trash, err))
        return false;
    if (fsync(trash->info) == 0 && fsync(trash->files) == 0)
        return true;
    return olv_fail_system(err, trash->files_path, "cannot bring the trash to the disk");
}

/* ---- listing ---- */

const char *olv_trash_state_word(enum olv_trash_state state)
{
    static const char *const words[] = {"sound", "torn", "lost", "stray"};
    return words[state];
}

static bool climbs(const char *path)
{
    for (const char *p = path; (p = strstr(p, "..")); p += 2)
        if ((p == path || p[-1] == '/') && (p[2] == '/' || p[2] == '\0'))
            return true;
    return false;
}

/* Makes the path that an info file says absolute; false where it may not be believed. */
static bool resolve(struct olv_trash *trash)
{
    struct olv_text whole = {0};
    if (trash->found_path.data[0] == '/')
        return true;
    if (trash->top_len == 0 || climbs(trash->found_path.data))
        return false;
    olv_text_add(&whole, trash->path, trash->top_len > 1 ? trash->top_len : 0);
    olv_text_puts(&whole, "/");
    olv_text_puts(&whole, trash->found_path.data);
    olv_text_free(&trash->found_path);
    trash->found_path = whole;
    return !whole.failed;
}

bool olv_trash_find(struct olv_trash *trash, const char *name, struct olv_trash_item *out)
{
    struct olv_error ignored = {0};
    char info[NAME_MAX + 1];
    bool is_there;
    info_name(info, name);
    *out = (struct olv_trash_item){.name = name, .path = "", .run = "", .state = OLV_TRASH_TORN};
    is_there = olv_os_stat(trash->files, name, &out->stat);
    if (olv_read_file(trash->info, info, LARGEST_INFO, &trash->found_text, &ignored) &&
        olv_trash_info_read(olv_text_string(&trash->found_text), trash->found_text.len, &trash->found_path,
                            &out->deleted, trash->found_run) &&
        resolve(trash)) {
        out->state = OLV_TRASH_SOUND;
        out->run = trash->found_run;
        out->path = olv_text_string(&trash->found_path);
    } else if (ignored.sys == ENOENT) {
        out->state = OLV_TRASH_STRAY;
        return is_there;
    }
    if (!is_there)
        out->state = OLV_TRASH_LOST;
    out->size_bytes =
        out->stat.kind == OLV_KIND_DIRECTORY ? trash_sizes_find(trash, name) : out->stat.size_bytes;
    return true;
}

struct listing {
    struct olv_trash *trash;
    bool (*each)(void *self, const struct olv_trash_item *item);
    void *self;
};

/* An entry of `info/`: the item that it stands for. */
static bool list_info(struct listing *l, const struct olv_os_name *info)
{
    struct olv_trash_item item;
    char name[NAME_MAX + 1];
    if (info->len <= SUFFIX_LEN || strcmp(info->name + info->len - SUFFIX_LEN, SUFFIX) != 0)
        return true;
    snprintf(name, sizeof name, "%.*s", (int)(info->len - SUFFIX_LEN), info->name);
    return !olv_trash_find(l->trash, name, &item) || l->each(l->self, &item);
}

/* An entry of `files/`: only what has no info file, for all else was listed already. */
static bool list_stray(struct listing *l, const struct olv_os_name *file)
{
    struct olv_trash_item item;
    char info[NAME_MAX + 1];
    info_name(info, file->name);
    if (faccessat(l->trash->info, info, F_OK, AT_SYMLINK_NOFOLLOW) == 0)
        return true;
    return !olv_trash_find(l->trash, file->name, &item) || l->each(l->self, &item);
}

static bool list(struct listing *l, int dir, bool (*one)(struct listing *l, const struct olv_os_name *name),
                 struct olv_error *err)
{
    enum { SIZE = 65536 };
    struct olv_os_name name;
    void *buffer = malloc(SIZE);
    ssize_t got = 0;
    bool go_on = buffer || olv_fail_memory(err);
    lseek(dir, 0, SEEK_SET);
    while (go_on && (got = olv_os_read_names(dir, buffer, SIZE)) > 0)
        for (size_t at = 0; go_on && olv_os_next_name(buffer, (size_t)got, &at, &name);)
            go_on = one(l, &name);
    if (got < 0)
        olv_fail_system(err, l->trash->files_path, "cannot read the trash");
    free(buffer);
    return go_on && got >= 0;
}

bool olv_trash_each(struct olv_trash *trash, bool (*each)(void *self, const struct olv_trash_item *item),
                    void *self, struct olv_error *err)
{
    struct listing l = {trash, each, self};
    *err = (struct olv_error){0};
    if (list(&l, trash->info, list_info, err))
        list(&l, trash->files, list_stray, err);
    return err->code == OLV_OK;
}
