/* SPDX-License-Identifier: Apache-2.0 */
/* A stray blank (`notes *`) names everything in a directory. Where that is one that nobody empties lightly,
 * it is found out before anything is asked. */
#include "naming/naming.h"

#include "file/identity.h"
#include "olvido/path.h"
#include "os/os.h"

#include <stdlib.h>
#include <string.h>

enum { MOST_PLACES = 16, FEW = 3 };

const char *everything_special(const struct naming *n, const struct place *place)
{
    const char *landmark = olv_guard_landmark(n->options->guard, place->stat.device, place->stat.inode);
    struct olv_stat above;
    if (landmark)
        return landmark;
    return olv_os_stat(place->fd, "..", &above) && olv_begins_another(&above, &place->stat)
               ? "a file system of its own"
               : NULL;
}

static size_t number_of(struct naming *n, const char *path)
{
    size_t i = n->full.count;
    while (i > 0 && strcmp(n->full.items[i - 1], path) != 0)
        i--;
    return i;
}

bool everything_note(struct naming *n, const struct place *place, const char *name, struct olv_error *err)
{
    size_t at;
    if (name[0] == '.')
        return true;
    at = number_of(n, place->path);
    if (at == 0) {
        if (n->full.count == MOST_PLACES || !place->special)
            return true;
        if (!n->seen && !(n->seen = calloc(MOST_PLACES, sizeof *n->seen)))
            return olv_fail_memory(err);
        if (!paths_add(&n->full, strdup(place->path), err))
            return false;
        at = n->full.count;
    }
    return paths_add(&n->seen[at - 1], strdup(name), err);
}

/* Whether every visible entry, and more than a few, is among the names. */
static bool is_everything(int fd, const struct paths *names, struct olv_error *err)
{
    enum { SIZE = 32768 };
    struct olv_os_listing listing;
    struct olv_os_name entry;
    uint64_t *buffer = malloc(SIZE), visible = 0;
    bool all = buffer || olv_fail_memory(err), is_listed = all && olv_os_list_begin(&listing, fd);
    ssize_t got;
    while (all && is_listed && (got = olv_os_list_read(&listing, buffer, SIZE)) > 0)
        for (size_t at = 0; all && olv_os_next_name(buffer, (size_t)got, &at, &entry);) {
            if (entry.name[0] == '.')
                continue;
            visible++;
            all = paths_have(names, entry.name);
        }
    if (is_listed)
        olv_os_list_end(&listing);
    free(buffer);
    return all && visible > FEW;
}

bool everything_find(struct naming *n, struct olv_error *err)
{
    for (size_t i = 0; i < n->full.count && !n->out->everything && err->code == OLV_OK; i++) {
        struct place place = {.path = n->full.items[i], .fd = olv_os_open_path(n->full.items[i])};
        struct paths *names = &n->seen[i];
        paths_sort(names);
        if (place.fd >= 0 && olv_os_stat(place.fd, "", &place.stat) && is_everything(place.fd, names, err)) {
            n->out->everything_is = everything_special(n, &place);
            n->out->everything = strdup(place.path);
            if (!n->out->everything)
                olv_fail_memory(err);
        }
        olv_os_close(place.fd);
    }
    return err->code == OLV_OK;
}
