/* SPDX-License-Identifier: Apache-2.0 */
/* Opening, filling and emptying the trash. An item exists once its info file does, and that file is made
 * exclusively: so two programs never choose the same name, and a rename that replaces nothing cannot lose
 * what lies there. */
#include "trash/trash.h"

#include "base/accounts.h"
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

static bool open_parts(struct olv_trash *trash, const char *path, bool create, struct olv_error *err)
{
    char real[PATH_MAX];
    trash->dir = olv_private_open(AT_FDCWD, path, create, path, "the trash", err);
    if (trash->dir < 0)
        return false;
    trash->files = olv_private_open(trash->dir, "files", create, path, "`files` in the trash", err);
    if (trash->files < 0)
        return false;
    trash->info = olv_private_open(trash->dir, "info", create, path, "`info` in the trash", err);
    if (trash->info < 0)
        return false;
    if (create && (!is_writable(trash->files, path, err) || !is_writable(trash->info, path, err)))
        return false;
    if (!olv_os_stat(trash->files, "", &trash->files_stat) || !realpath(path, real))
        return olv_fail_system(err, path, "cannot look at the trash");
    if ((size_t)snprintf(trash->files_path, sizeof trash->files_path, "%s/files", real) >=
        sizeof trash->files_path)
        return olv_fail(err, OLV_STATE, "the path of the trash is too long");
    return true;
}

struct olv_trash *olv_trash_open(const char *path, bool create, struct olv_error *err)
{
    struct olv_trash *trash;
    if (create && !olv_make_parents(path, err))
        return NULL;
    trash = calloc(1, sizeof *trash);
    if (!trash) {
        olv_fail_memory(err);
        return NULL;
    }
    trash->dir = trash->files = trash->info = -1;
    trash->date_second = -1;
    if (open_parts(trash, path, create, err))
        return trash;
    olv_trash_close(trash);
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
    free(trash);
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
    if (err->sys == EXDEV) {
        olv_fail(err, OLV_SYSTEM, "it is on another file system than the home trash");
        olv_error_hint(err, "trashes on other file systems are not built yet");
    }
    info_name(info, item);
    unlinkat(trash->info, info, 0);
    return false;
}

static void write_info_text(struct olv_trash *trash, const char *path, struct olv_instant when)
{
    if (trash->date_second != when.s) {
        olv_trash_date(when.s, trash->date);
        trash->date_second = when.s;
    }
    olv_text_clear(&trash->text);
    olv_trash_info_write(&trash->text, path, trash->date);
}

bool olv_trash_put(struct olv_trash *trash, int dir, const char *name, const char *path,
                   struct olv_instant when, struct olv_trash_label label, char out[NAME_MAX + 1],
                   struct olv_error *err)
{
    write_info_text(trash, path, when);
    if (trash->text.failed)
        return olv_fail_memory(err);
    olv_trash_plain_name(out, name);
    if (make_info(trash, out, err) && move_in(trash, dir, name, out, err))
        return true;
    if (err->sys != EEXIST)
        return false;
    olv_trash_unique_name(out, name, label);
    return make_info(trash, out, err) && move_in(trash, dir, name, out, err);
}

static bool info_says(struct olv_trash *trash, const char *info, const char *path)
{
    struct olv_text text = {0}, said = {0};
    struct olv_instant deleted;
    struct olv_error ignored = {0};
    bool is_same = olv_read_file(trash->info, info, LARGEST_INFO, &text, &ignored) &&
                   olv_trash_info_read(olv_text_string(&text), text.len, &said, &deleted) &&
                   strcmp(said.data, path) == 0;
    olv_text_free(&text);
    olv_text_free(&said);
    return is_same;
}

void olv_trash_drop_info(struct olv_trash *trash, const char *item, const char *path)
{
    char name[NAME_MAX + 1];
    struct olv_stat stat;
    info_name(name, item);
    if (!olv_os_stat(trash->files, item, &stat) && info_says(trash, name, path))
        unlinkat(trash->info, name, 0);
}

bool olv_trash_mend_info(struct olv_trash *trash, const char *item, const char *path, struct olv_instant when,
                         struct olv_error *err)
{
    char name[NAME_MAX + 1];
    info_name(name, item);
    if (info_says(trash, name, path))
        return true;
    write_info_text(trash, path, when);
    return olv_publish(trash->info, name, trash->text.data, trash->text.len, err);
}

bool olv_trash_take(struct olv_trash *trash, const char *item, int dir, const char *name,
                    struct olv_error *err)
{
    char info[NAME_MAX + 1];
    info_name(info, item);
    if (!olv_os_rename_new(trash->files, item, dir, name)) {
        if (errno == EEXIST)
            return olv_fail(err, OLV_EXISTS, "its place is taken, so it stays in the trash");
        return olv_fail_system(err, name, "cannot move it out of the trash");
    }
    unlinkat(trash->info, info,
             0); /* should this fail, an info file without an item remains, which is harmless */
    return true;
}

bool olv_trash_sync(struct olv_trash *trash, struct olv_error *err)
{
    if (fsync(trash->info) == 0 && fsync(trash->files) == 0)
        return true;
    return olv_fail_system(err, trash->files_path, "cannot bring the trash to the disk");
}

/* ---- listing ---- */

bool olv_trash_find(struct olv_trash *trash, const char *name, struct olv_trash_item *out)
{
    struct olv_error ignored = {0};
    char info[NAME_MAX + 1];
    info_name(info, name);
    *out = (struct olv_trash_item){.name = name, .path = "", .state = OLV_TRASH_TORN};
    if (olv_read_file(trash->info, info, LARGEST_INFO, &trash->found_text, &ignored) &&
        olv_trash_info_read(olv_text_string(&trash->found_text), trash->found_text.len, &trash->found_path,
                            &out->deleted)) {
        out->state = OLV_TRASH_SOUND;
        out->path = olv_text_string(&trash->found_path);
    } else if (ignored.sys == ENOENT) {
        return false;
    }
    if (!olv_os_stat(trash->files, name, &out->stat))
        out->state = OLV_TRASH_LOST;
    return true;
}

bool olv_trash_each(struct olv_trash *trash, bool (*each)(void *self, const struct olv_trash_item *item),
                    void *self, struct olv_error *err)
{
    enum { SIZE = 65536 };
    struct olv_trash_item item;
    struct olv_os_name info;
    char name[NAME_MAX + 1];
    void *buffer = malloc(SIZE);
    ssize_t got = 0;
    bool go_on = buffer != NULL;
    lseek(trash->info, 0, SEEK_SET);
    while (go_on && (got = olv_os_read_names(trash->info, buffer, SIZE)) > 0)
        for (size_t at = 0; go_on && olv_os_next_name(buffer, (size_t)got, &at, &info);) {
            if (info.len <= SUFFIX_LEN || strcmp(info.name + info.len - SUFFIX_LEN, SUFFIX) != 0)
                continue;
            snprintf(name, sizeof name, "%.*s", (int)(info.len - SUFFIX_LEN), info.name);
            if (olv_trash_find(trash, name, &item))
                go_on = each(self, &item);
        }
    if (got < 0)
        olv_fail_system(err, trash->files_path, "cannot read the trash");
    else if (!buffer)
        olv_fail_memory(err);
    free(buffer);
    return buffer && got >= 0;
}
