/* SPDX-License-Identifier: Apache-2.0 */
/* Filling the trash. An item exists once its info file does, which is created exclusively: so two programs
 * never choose the same name, and a rename that replaces nothing cannot lose an item. */
#include "trash/trash.h"

#include "os/durable.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

void olv_trash_plain_name(char out[NAME_MAX + 1], const char *name)
{
    snprintf(out, NAME_MAX + 1, "%.*s", NAME_MAX - TRASH_SUFFIX_LEN, name);
}

void olv_trash_unique_name(char out[NAME_MAX + 1], const char *name, struct olv_trash_label label)
{
    char tail[80];
    int len = snprintf(tail, sizeof tail, ".%.40s-%llu", label.run, (unsigned long long)label.sequence);
    snprintf(out, NAME_MAX + 1, "%.*s%s", NAME_MAX - TRASH_SUFFIX_LEN - len, name, tail);
}

void olv_info_writer_free(struct olv_info_writer *writer)
{
    olv_text_free(&writer->text);
}

/* Creates the info file of `item`, exclusively. */
static bool make_info(struct olv_trash *trash, const struct olv_text *text, const char *item, bool is_synced,
                      struct olv_error *err)
{
    char name[NAME_MAX + 1];
    int fd;
    trash_info_name(name, item);
    if (!is_synced)
        atomic_store(&trash->has_new, true);
    fd = openat(trash->info, name, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
    if (fd < 0)
        return olv_fail_system(err, name, "cannot make the info file in the trash");
    if (olv_write_all(fd, text->data, text->len) && (!is_synced || fsync(fd) == 0)) {
        close(fd);
        return true;
    }
    olv_fail_system(err, name, "cannot write the info file in the trash");
    close(fd);
    unlinkat(trash->info, name, 0);
    return false;
}

/* Moves it to the item of an existing info file, which is removed on failure. */
static bool move_in(struct olv_trash *trash, int dir, const char *name, const char *item,
                    struct olv_error *err)
{
    if (olv_os_rename_new(dir, name, trash->files, item))
        return true;
    olv_fail_system(err, name, "cannot move it into the trash");
    if (err->sys == EXDEV)
        olv_fail(err, OLV_SYSTEM,
                 "it cannot be moved into the trash of its file system: another subvolume or a bind mount "
                 "lies between");
    olv_trash_abandon(trash, item);
    return false;
}

/* In a mount's own trash paths are relative to its top directory (Trash specification 1.0, "Contents of a
 * trash directory"). */
static const char *shown_path(const struct olv_trash *trash, const char *path)
{
    size_t top = trash->top_len > 1 ? trash->top_len : 0; /* of "/" only the slash */
    if (trash->top_len == 0 || strncmp(path, trash->path, top) != 0 || path[top] != '/')
        return path;
    return path + top + 1;
}

static bool write_text(const struct olv_trash *trash, struct olv_info_writer *w, const char *path,
                       struct olv_instant when, const char *run)
{
    if (!w->has_date || w->date_second != when.s) {
        olv_trash_date(when.s, w->date);
        w->date_second = when.s;
        w->has_date = true;
    }
    olv_text_clear(&w->text);
    olv_trash_info_write(&w->text, shown_path(trash, path), w->date, run);
    return !w->text.failed;
}

bool olv_trash_prepare(struct olv_trash *trash, struct olv_info_writer *w, const struct olv_putting *p,
                       char out[NAME_MAX + 1], struct olv_error *err)
{
    if (!write_text(trash, w, p->path, p->when, p->label.run))
        return olv_fail_memory(err);
    olv_trash_plain_name(out, p->name);
    if (strcmp(out, w->collided) != 0) {
        if (make_info(trash, &w->text, out, p->is_synced, err))
            return true;
        if (err->sys != EEXIST)
            return false;
        memcpy(w->collided, out, sizeof w->collided);
    }
    olv_trash_unique_name(out, p->name, p->label);
    return make_info(trash, &w->text, out, p->is_synced, err);
}

bool olv_trash_has_info(const struct olv_trash *trash, const char *item)
{
    char info[NAME_MAX + 1];
    struct olv_stat stat;
    trash_info_name(info, item);
    return olv_os_stat(trash->info, info, &stat);
}

void olv_trash_abandon(struct olv_trash *trash, const char *item)
{
    char info[NAME_MAX + 1];
    trash_info_name(info, item);
    unlinkat(trash->info, info, 0);
}

/* If the item's name is taken although its info file was free, the other name is tried. */
bool olv_trash_put(struct olv_trash *trash, int dir, const struct olv_putting *p, char out[NAME_MAX + 1],
                   struct olv_error *err)
{
    char plain[NAME_MAX + 1];
    if (!*out && !olv_trash_prepare(trash, &trash->writer, p, out, err))
        return false;
    if (move_in(trash, dir, p->name, out, err))
        return true;
    olv_trash_plain_name(plain, p->name);
    if (err->sys != EEXIST || strcmp(plain, out) != 0)
        return false;
    memcpy(trash->writer.collided, plain, sizeof plain);
    return olv_trash_prepare(trash, &trash->writer, p, out, err) && move_in(trash, dir, p->name, out, err);
}

static bool info_says(struct olv_trash *trash, const char *info, const char *path)
{
    struct olv_text text = {0}, said = {0};
    struct olv_instant deleted;
    struct olv_error ignored = {0};
    char run[TRASH_RUN_SIZE];
    bool is_same = olv_read_file(trash->info, info, TRASH_LARGEST_INFO, &text, &ignored) &&
                   olv_trash_info_read(olv_text_string(&text), text.len, &said, &deleted, run) &&
                   strcmp(said.data, shown_path(trash, path)) == 0;
    olv_text_free(&text);
    olv_text_free(&said);
    return is_same;
}

/* Whether the info file is the beginning of the one for this path: it was being written when everything
 * stopped. */
static bool info_is_begun(struct olv_trash *trash, const char *info, const char *path)
{
    struct olv_text there = {0};
    struct olv_error ignored = {0};
    bool is_begun;
    is_begun = write_text(trash, &trash->writer, path, (struct olv_instant){0}, "") &&
               olv_read_file(trash->info, info, TRASH_LARGEST_INFO, &there, &ignored) &&
               there.len < trash->writer.text.len &&
               memcmp(olv_text_string(&there), trash->writer.text.data, there.len) == 0;
    olv_text_free(&there);
    return is_begun;
}

void olv_trash_drop_info(struct olv_trash *trash, const char *item, const char *path)
{
    char name[NAME_MAX + 1];
    struct olv_stat stat;
    trash_info_name(name, item);
    if (olv_os_stat(trash->files, item, &stat))
        return;
    if (info_says(trash, name, path) || info_is_begun(trash, name, path))
        unlinkat(trash->info, name, 0);
}

bool olv_trash_mend_info(struct olv_trash *trash, const char *item, const char *path, struct olv_instant when,
                         const char *run, struct olv_error *err)
{
    char name[NAME_MAX + 1];
    trash_info_name(name, item);
    atomic_store(&trash->has_new, true); /* its contents may be in memory only */
    if (info_says(trash, name, path))
        return true;
    return (write_text(trash, &trash->writer, path, when, run) || olv_fail_memory(err)) &&
           olv_publish(trash->info, name, trash->writer.text.data, trash->writer.text.len, err);
}
