/* SPDX-License-Identifier: Apache-2.0 */
/* Filling the trash. An item exists once its info file does, which is created exclusively: so two programs
 * never choose the same name, and a rename that replaces nothing cannot lose an item. */
#include "trash/trash.h"

#include "file/removal.h"
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
static bool move_in(struct olv_trash *trash, int dir, const struct olv_putting *p, const char *item,
                    struct olv_error *err)
{
    if (rename_seen(p->witness, RENAME_THERE, dir, p->name, trash->files, item))
        return true;
    olv_fail_system(err, p->name, "cannot move it into the trash");
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

static bool write_text(const struct olv_trash *trash, struct olv_info_writer *w, const struct olv_putting *p)
{
    if (!w->has_date || w->date_second != p->when.s) {
        olv_trash_date(p->when.s, w->date);
        w->date_second = p->when.s;
        w->has_date = true;
    }
    olv_text_clear(&w->text);
    olv_trash_info_write(&w->text, shown_path(trash, p->path), w->date, p->label.run, p->rule ? p->rule : "",
                         p->contents);
    return !w->text.failed;
}

bool olv_trash_prepare(struct olv_trash *trash, struct olv_info_writer *w, const struct olv_putting *p,
                       char out[NAME_MAX + 1], struct olv_error *err)
{
    if (!write_text(trash, w, p))
        return olv_fail_memory(err);
    olv_trash_plain_name(out, p->name);
    if (!p->has_others && strcmp(out, w->collided) != 0) {
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
    removal_unlink(REMOVAL_INFO, trash->info, info);
}

/* If the item's name is taken although its info file was free, the other name is tried. */
bool olv_trash_put(struct olv_trash *trash, int dir, const struct olv_putting *p, char out[NAME_MAX + 1],
                   struct olv_error *err)
{
    char plain[NAME_MAX + 1];
    if (!*out && !olv_trash_prepare(trash, &trash->writer, p, out, err))
        return false;
    if (move_in(trash, dir, p, out, err))
        return true;
    olv_trash_plain_name(plain, p->name);
    if (err->sys != EEXIST || strcmp(plain, out) != 0)
        return false;
    memcpy(trash->writer.collided, plain, sizeof plain);
    return olv_trash_prepare(trash, &trash->writer, p, out, err) && move_in(trash, dir, p, out, err);
}

static enum olv_info_owner owner_of(const struct olv_trash *trash, const struct olv_text *text,
                                    const char *path, const char *run)
{
    struct trash_info said = {0};
    enum olv_info_owner owner = OLV_INFO_TORN;
    /* Its last line is that of the run: until that is whole, it may still be the beginning of ours. */
    if (olv_trash_info_read(olv_text_string(text), text->len, &said) && text->data[text->len - 1] == '\n' &&
        said.deleted.s)
        owner = strcmp(said.path.data, shown_path(trash, path)) == 0 && strcmp(said.run, run) == 0
                    ? OLV_INFO_OURS
                    : OLV_INFO_OTHERS;
    olv_text_free(&said.path);
    olv_text_free(&said.rule);
    return owner;
}

/* Whether it is the beginning of what is written for this path; after a power cut zeros may follow. */
static bool info_is_begun(struct olv_trash *trash, const struct olv_text *there, const char *path)
{
    size_t len, known = there->len;
    if (!write_text(trash, &trash->writer, &(struct olv_putting){.path = path, .label = {"", 0}}))
        return false;
    while (known && there->data[known - 1] == '\0')
        known--;
    len = trash->writer.text.len - strlen("DeletionDate=\n") - strlen(trash->writer.date);
    len = known < len ? known : len;
    return memcmp(olv_text_string(there), trash->writer.text.data, len) == 0;
}

enum olv_info_owner olv_trash_info_owner(struct olv_trash *trash, const char *item, const char *path,
                                         const char *run)
{
    char name[NAME_MAX + 1];
    struct olv_text text = {0};
    struct olv_error err = {0};
    enum olv_info_owner owner;
    trash_info_name(name, item);
    if (!olv_read_file(trash->info, name, TRASH_LARGEST_INFO, &text, &err))
        owner = err.sys == ENOENT ? OLV_INFO_NONE : OLV_INFO_OTHERS; /* what cannot be read is not ours */
    else
        owner = owner_of(trash, &text, path, run);
    if (owner == OLV_INFO_TORN && !info_is_begun(trash, &text, path))
        owner = OLV_INFO_OTHERS;
    olv_text_free(&text);
    return owner;
}

bool olv_trash_mend_info(struct olv_trash *trash, const char *item, const struct olv_putting *p,
                         struct olv_error *err)
{
    char name[NAME_MAX + 1];
    trash_info_name(name, item);
    atomic_store(&trash->has_new, true); /* its contents may be in memory only */
    return (write_text(trash, &trash->writer, p) || olv_fail_memory(err)) &&
           olv_publish(trash->info, name, trash->writer.text.data, trash->writer.text.len, err);
}
