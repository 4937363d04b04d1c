/* SPDX-License-Identifier: Apache-2.0 */
/* Lists the trash: every info file with its item, and every item without one. */
#include "trash/trash.h"

#include "olvido/path.h"
#include "os/durable.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

const char *olv_trash_state_word(enum olv_trash_state state)
{
    static const char *const words[] = {"sound", "torn", "lost", "stray"};
    return words[state];
}

static bool listing_climbs(const char *path)
{
    for (const char *p = path; (p = strstr(p, "..")); p += 2)
        if ((p == path || p[-1] == '/') && (p[2] == '/' || p[2] == '\0'))
            return true;
    return false;
}

/* Makes the path of an info file absolute; false if it may not be trusted. The trash of a mount comes with
 * the mount, from anybody: its paths can only be below the mount point (Trash specification 1.0, "Contents of
 * a trash directory"). */
static bool resolve(struct olv_trash *trash)
{
    struct olv_text whole = {0};
    const char *path = olv_text_string(&trash->found.path);
    bool is_absolute = path[0] == '/', is_home = trash->top_len == 0;
    if (is_absolute != is_home || listing_climbs(path) || path[strlen(path) - 1] == '/')
        return false;
    if (is_absolute)
        return true;
    olv_text_add(&whole, trash->path, trash->top_len > 1 ? trash->top_len : 0);
    olv_text_puts(&whole, "/");
    olv_text_puts(&whole, path);
    olv_text_free(&trash->found.path);
    trash->found.path = whole;
    return !whole.failed;
}

bool olv_trash_find(struct olv_trash *trash, const char *name, struct olv_trash_item *out)
{
    struct olv_error ignored = {0};
    char info[NAME_MAX + 1];
    bool is_there;
    trash_info_name(info, name);
    *out = (struct olv_trash_item){.name = name, .path = "", .run = "", .rule = "", .state = OLV_TRASH_TORN};
    is_there = olv_os_stat(trash->files, name, &out->stat);
    if (!is_there && errno != ENOENT) { /* not lost: it cannot be examined this time */
        olv_observe_unreadable(trash->observer, name, "cannot look at the item", errno);
        return false;
    }
    if (olv_read_file(trash->info, info, TRASH_LARGEST_INFO, &trash->found_text, &ignored) &&
        olv_trash_info_read(olv_text_string(&trash->found_text), trash->found_text.len, &trash->found) &&
        resolve(trash) && trash->found.path.len <= OLV_LONGEST_PATH) {
        out->state = OLV_TRASH_SOUND;
        out->run = trash->found.run;
        out->rule = olv_text_string(&trash->found.rule);
        out->has_contents = trash->found.has_contents;
        out->files = trash->found.files;
        out->deleted = trash->found.deleted;
        out->path = olv_text_string(&trash->found.path);
    } else if (ignored.sys == ENOENT) {
        out->state = OLV_TRASH_STRAY;
        return is_there;
    } else if (olv_read_failed_for_now(&ignored)) {
        olv_observe_unreadable(trash->observer, info, "cannot read the info file", ignored.sys);
        return false; /* not torn: it cannot be read this time */
    }
    if (!is_there)
        out->state = OLV_TRASH_LOST;
    if (out->stat.kind != OLV_KIND_DIRECTORY) {
        out->size_bytes = out->stat.size_bytes;
        out->files = is_there;
    } else {
        out->size_bytes = out->has_contents ? trash->found.bytes : trash_sizes_find(trash, name);
    }
    return true;
}

struct listing {
    struct olv_trash *trash;
    bool (*each)(void *self, const struct olv_trash_item *item);
    void *self;
};

/* An entry of `info/`: the item it stands for. */
static bool list_info(struct listing *l, const struct olv_os_name *info)
{
    struct olv_trash_item item;
    char name[NAME_MAX + 1];
    if (info->len <= TRASH_SUFFIX_LEN || strcmp(info->name + info->len - TRASH_SUFFIX_LEN, TRASH_SUFFIX) != 0)
        return true;
    snprintf(name, sizeof name, "%.*s", (int)(info->len - TRASH_SUFFIX_LEN), info->name);
    return !olv_trash_find(l->trash, name, &item) || l->each(l->self, &item);
}

/* An entry of `files/`: lists only those without an info file, because the others are listed already. */
static bool list_stray(struct listing *l, const struct olv_os_name *file)
{
    struct olv_trash_item item;
    struct olv_stat stat;
    char info[NAME_MAX + 1];
    trash_info_name(info, file->name);
    if (olv_os_stat(l->trash->info, info, &stat))
        return true;
    if (errno != ENOENT) { /* it may have been listed */
        olv_observe_unreadable(l->trash->observer, info, "cannot look at the info file", errno);
        return true;
    }
    return !olv_trash_find(l->trash, file->name, &item) || l->each(l->self, &item);
}

static bool listing_list(struct listing *l, int dir,
                         bool (*one)(struct listing *l, const struct olv_os_name *name),
                         struct olv_error *err)
{
    enum { SIZE = 65536 };
    struct olv_os_listing listing;
    struct olv_os_name name;
    void *buffer = malloc(SIZE);
    bool go_on = buffer || olv_fail_memory(err), is_listed = go_on && olv_os_list_begin(&listing, dir);
    ssize_t got = is_listed ? 0 : -1;
    while (go_on && is_listed && (got = olv_os_list_read(&listing, buffer, SIZE)) > 0)
        for (size_t at = 0; go_on && olv_os_next_name(buffer, (size_t)got, &at, &name);)
            go_on = one(l, &name);
    if (is_listed)
        olv_os_list_end(&listing);
    if (buffer && got < 0)
        olv_fail_system(err, l->trash->files_path, "cannot read the trash");
    free(buffer);
    return go_on && got >= 0;
}

bool olv_trash_each(struct olv_trash *trash, bool (*each)(void *self, const struct olv_trash_item *item),
                    void *self, struct olv_error *err)
{
    struct listing l = {trash, each, self};
    olv_error_clear(err);
    if (listing_list(&l, trash->info, list_info, err))
        listing_list(&l, trash->files, list_stray, err);
    return err->code == OLV_OK;
}
