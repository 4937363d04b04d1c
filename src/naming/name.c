/* SPDX-License-Identifier: Apache-2.0 */
/* One name as it was typed: where it is, what it is, and whether it may be taken. */
#include "naming/naming.h"

#include "file/identity.h"
#include "file/trusted.h"
#include "olvido/path.h"
#include "olvido/protection.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>

/* A name as typed, without the slashes behind it. */
struct name {
    const char *typed;
    struct olv_text path;
    const char *last; /* its last component, in `path` */
    bool has_slash;   /* behind it */
    struct olv_stat stat;
    struct olv_text shown; /* absolute, without links above it */
};

/* ---- its directory ---- */

static void place_leave(struct place *place)
{
    olv_os_close(place->fd);
    free(place->path);
    place->fd = -1;
    place->path = NULL;
}

static bool place_open(struct naming *n, const char *above, struct olv_error *why)
{
    struct place *place = &n->place;
    place_leave(place);
    olv_text_clear(&place->typed);
    olv_text_puts(&place->typed, above);
    place->path = trusted_resolve(above, why);
    if (!place->path)
        return false;
    place->fd = olv_os_open_path(place->path);
    if (place->fd < 0 || !olv_os_stat(place->fd, "", &place->stat)) {
        olv_fail_system(why, above, "looking for it");
        place_leave(place);
        return false;
    }
    place_examine(n, place);
    return true;
}

/* Names often have the same directory as the last one. */
static bool place_of(struct naming *n, const struct name *name, struct olv_error *why)
{
    size_t len = (size_t)(name->last - name->path.data);
    char *above;
    bool ok;
    while (len > 1 && name->path.data[len - 1] == '/')
        len--;
    above = len ? strndup(name->path.data, len) : strdup(".");
    if (!above)
        return olv_fail_memory(why);
    ok = (n->place.fd >= 0 && n->place.typed.data && strcmp(n->place.typed.data, above) == 0) ||
         place_open(n, above, why);
    free(above);
    return ok;
}

/* ---- what it is ---- */

static bool is_dots(const char *name)
{
    return strcmp(name, ".") == 0 || strcmp(name, "..") == 0;
}

static bool take_file(struct naming *n, const struct name *name, struct olv_error *err)
{
    struct found found = found_of(n, &n->place.stat, &name->stat);
    return (!n->options->is_removed || everything_note(n, &n->place, name->last, err)) &&
           naming_add(n, &n->workers[0].record, n->place.path, name->last, "", &found, err);
}

/* A directory with all that is in it. What stands in the way keeps it whole, or, where what is in it goes one
 * by one anyway, keeps only itself. */
static bool take_whole(struct naming *n, const struct name *name, struct olv_error *err)
{
    struct found found = found_of(n, &n->place.stat, &name->stat);
    struct olv_text where = {0};
    struct olv_error why = {0};
    bool ok;
    found.is_emptied = false;
    if (naming_sum_up(n, &n->place, name->shown.data, name->last, &found.contents, &where, &why)) {
        ok = everything_note(n, &n->place, name->last, err) &&
             paths_add(&n->wholes, strdup(name->shown.data), err) &&
             naming_add(n, &n->workers[0].record, n->place.path, name->last, "", &found, err);
    } else if (why.code == OLV_INTERRUPTED || why.code == OLV_MEMORY) {
        *err = why;
        ok = false;
    } else if (n->options->act->destination == OLV_TO_NOWHERE &&
               (why.code == OLV_REFUSED || why.code == OLV_CHANGED)) {
        ok = paths_add(&n->trees, strdup(name->shown.data), err);
    } else {
        naming_left(n, where.len ? where.data : name->shown.data,
                    why.code != OLV_CHANGED ? why.what
                    : why.sys               ? "it cannot be looked into"
                                            : "another file system begins here",
                    why.sys);
        ok = true;
    }
    olv_text_free(&where);
    return ok;
}

static bool take_directory(struct naming *n, const struct name *name, struct olv_error *err)
{
    const struct olv_named_options *o = n->options;
    n->out->directories++;
    if (o->directories == OLV_EMPTY_DIRECTORIES)
        return paths_add(&n->trees, strdup(name->shown.data), err);
    if (o->directories == OLV_NO_DIRECTORIES) {
        naming_left(
            n, name->typed,
            "it is a directory: --tree takes it with all that is in it, --contents only what is in it", 0);
        return true;
    }
    if (o->where)
        return everything_note(n, &n->place, name->last, err) &&
               paths_add(&n->trees, strdup(name->shown.data), err);
    return take_whole(n, name, err);
}

static bool take_removed(struct naming *n, struct name *name, struct olv_error *err)
{
    int sys = 0;
    const char *why;
    olv_path_add(&name->shown, n->place.path, name->last);
    if (name->shown.failed)
        return olv_fail_memory(err);
    why = why_it_stays(n, &n->place, name->shown.data, &name->stat, &sys);
    if (!why && n->options->directories == OLV_EMPTY_DIRECTORIES && name->stat.kind != OLV_KIND_DIRECTORY)
        why = "it is no directory";
    if (why) {
        naming_left(n, name->typed, why, sys);
        return true;
    }
    return name->stat.kind == OLV_KIND_DIRECTORY ? take_directory(n, name, err) : take_file(n, name, err);
}

/* ---- one that stays ---- */

/* The directory as an entry of its own: what is in it may go, and then it may. */
static bool take_itself(struct naming *n, const char *real, struct olv_error *err)
{
    struct name name = {.typed = real};
    struct olv_error why = {0};
    bool ok = true;
    olv_text_puts(&name.path, real);
    if (name.path.failed)
        return olv_fail_memory(err);
    name.last = olv_path_name(name.path.data);
    if (!*name.last)
        ok = true;
    else if (!place_of(n, &name, &why) || !olv_os_stat(n->place.fd, name.last, &name.stat))
        naming_trouble(n, real, "looking for it", why.code ? why.sys : errno);
    else
        ok = take_file(n, &name, err);
    olv_text_free(&name.path);
    return ok;
}

static bool enter_directory(struct naming *n, const struct name *name, struct olv_error *err)
{
    struct olv_error why = {0};
    char *real = trusted_resolve(name->typed, &why);
    if (!real) {
        naming_trouble(n, name->typed, why.sys ? "looking for it" : why.what, why.sys);
        return true;
    }
    n->out->directories++;
    return paths_add(&n->trees, real, err) &&
           (!(n->options->kinds & 1u << OLV_KIND_DIRECTORY) || take_itself(n, real, err));
}

/* A directory is entered; a link to one counts as a link, unless written with a trailing slash. */
static bool take_kept(struct naming *n, struct name *name, struct olv_error *err)
{
    if (name->has_slash && name->stat.kind == OLV_KIND_LINK)
        olv_os_stat(AT_FDCWD, name->typed, &name->stat);
    if (name->stat.kind == OLV_KIND_DIRECTORY)
        return enter_directory(n, name, err);
    if (!(n->options->kinds & 1u << name->stat.kind)) {
        naming_trouble(n, name->typed, "it is not a file", 0);
        return true;
    }
    if (!n->place.is_guarded && !olv_guard_is_own(n->options->guard, name->stat.device, name->stat.inode))
        return take_file(n, name, err);
    atomic_fetch_add(&n->guarded, 1);
    return true;
}

/* ---- one of which attributes change ---- */

/* Why it is not taken; NULL: it is. */
static const char *why_not_marked(struct naming *n, struct name *name)
{
    if (name->stat.kind == OLV_KIND_LINK)
        return name->stat.is_immutable
                   ? "it is a link, which somebody else froze; Olvido neither freezes nor lifts links"
                   : "it is a link, and those are not protected: name what it leads to";
    if (name->stat.kind != OLV_KIND_FILE && name->stat.kind != OLV_KIND_DIRECTORY) {
        olv_text_clear(&n->place.words);
        olv_text_printf(&n->place.words, "it is a %s: Olvido protects files and directories only",
                        olv_kind_word(name->stat.kind));
        return olv_text_string(&n->place.words);
    }
    return why_guarded(n, &n->place, name->shown.data, &name->stat);
}

static bool take_marked(struct naming *n, struct name *name, struct olv_error *err)
{
    bool is_directory, is_tree = n->options->directories == OLV_ENTER_DIRECTORIES;
    const char *why;
    olv_path_add(&name->shown, n->place.path, name->last);
    if (name->shown.failed)
        return olv_fail_memory(err);
    why = why_not_marked(n, name);
    if (why) {
        naming_left(n, name->typed, why, 0);
        return true;
    }
    is_directory = name->stat.kind == OLV_KIND_DIRECTORY;
    n->out->directories += is_directory;
    is_tree &= is_directory;
    return (!is_tree || paths_add(&n->trees, strdup(name->shown.data), err)) &&
           ((is_tree && n->options->is_lifted && !olv_protection_of(&name->stat)) ||
            take_file(n, name, err)) &&
           (!n->options->upwards || above_take(n, name->shown.data, err));
}

/* ---- what is in it ---- */

static bool take_entry(struct naming *n, const char *directory, const char *entry, struct olv_error *err)
{
    struct olv_text path = {0};
    bool ok;
    olv_path_add(&path, directory, entry);
    ok = path.failed ? olv_fail_memory(err) : name_take(n, path.data, err);
    olv_text_free(&path);
    return ok;
}

static bool list_into(struct naming *n, int fd, const char *typed, struct paths *out, struct olv_error *err)
{
    enum { SIZE = 32768 };
    struct olv_os_listing listing;
    struct olv_os_name entry;
    uint64_t *buffer = malloc(SIZE);
    bool ok = buffer || olv_fail_memory(err), is_listed = ok && olv_os_list_begin(&listing, fd);
    ssize_t got = is_listed ? 0 : -1;
    while (ok && is_listed && (got = olv_os_list_read(&listing, buffer, SIZE)) > 0)
        for (size_t at = 0; ok && olv_os_next_name(buffer, (size_t)got, &at, &entry);)
            ok = paths_add(out, strdup(entry.name), err);
    if (ok && got < 0)
        naming_trouble(n, typed, "reading the directory", errno);
    if (is_listed)
        olv_os_list_end(&listing);
    free(buffer);
    return ok;
}

/* Why it is not emptied; `what` has room for words. NULL: nothing is against it. */
static const char *why_not_emptied(const struct naming *n, const struct name *name, struct olv_text *what)
{
    const char *landmark = olv_guard_landmark(n->options->guard, name->stat.device, name->stat.inode);
    if (name->stat.kind == OLV_KIND_LINK)
        return "it is a link, and --contents follows none";
    if (name->stat.kind != OLV_KIND_DIRECTORY)
        return "it is not a directory, so it has no --contents";
    if (!landmark)
        return NULL;
    olv_text_printf(what, "it is %s, which nobody empties in one go", landmark);
    return olv_text_string(what);
}

/* As if each of these had been named. */
static bool take_entries(struct naming *n, const char *directory, const struct paths *entries,
                         struct olv_error *err)
{
    const struct olv_named_options *outside = n->options;
    struct olv_named_options inside = *outside;
    bool ok = true;
    inside.only_contents = false;
    n->options = &inside;
    for (size_t i = 0; ok && i < entries->count; i++)
        ok = take_entry(n, directory, entries->items[i], err);
    n->options = outside;
    return ok;
}

/* The directory stays. */
static bool take_contents(struct naming *n, struct name *name, struct olv_error *err)
{
    struct paths entries = {0};
    struct olv_text what = {0};
    struct olv_error why = {0};
    const char *stays = why_not_emptied(n, name, &what);
    char *real = stays ? NULL : trusted_resolve(name->typed, &why);
    int fd = real ? olv_os_open_path(real) : -1;
    bool ok = true;
    if (stays) {
        naming_left(n, name->typed, stays, 0);
    } else if (fd < 0) {
        naming_trouble(n, name->typed, real || why.sys ? "opening the directory" : why.what,
                       real ? errno : why.sys);
    } else {
        n->out->is_mount_emptied |= olv_begins_another(&n->place.stat, &name->stat);
        ok = list_into(n, fd, name->typed, &entries, err) && take_entries(n, real, &entries, err);
    }
    olv_os_close(fd);
    free(real);
    olv_text_free(&what);
    paths_free(&entries);
    return ok;
}

/* ---- a name ---- */

/* What might have been meant by a name that is not there. */
static void not_there(struct naming *n, const struct name *name, int sys)
{
    bool is_pattern = sys == ENOENT && (n->options->is_removed || n->options->is_marked) &&
                      olv_pattern_is_one(name->typed, strlen(name->typed));
    naming_trouble(n, name->typed,
                   is_pattern ? "there is no such name. If it is a pattern, put --matching before it"
                              : "looking for it",
                   is_pattern ? 0 : sys);
}

static bool take_found(struct naming *n, struct name *name, struct olv_error *err)
{
    const char *why = NULL;
    if (n->options->is_marked)
        return take_marked(n, name, err);
    if (!n->options->is_removed)
        return take_kept(n, name, err);
    if (n->options->only_contents)
        return take_contents(n, name, err);
    if (is_dots(name->last))
        why = "`.` and `..` are never removed: name the directory itself";
    else if (name->has_slash && name->stat.kind == OLV_KIND_LINK)
        why = "it is a link: name it without the slash behind, or name what it leads to";
    else if (name->has_slash && name->stat.kind != OLV_KIND_DIRECTORY)
        why = "it is no directory, though there is a slash behind it";
    if (!why)
        return take_removed(n, name, err);
    naming_left(n, name->typed, why, 0);
    return true;
}

bool name_take(struct naming *n, const char *typed, struct olv_error *err)
{
    struct name name = {.typed = typed};
    struct olv_error why = {0};
    bool ok = true;
    olv_text_puts(&name.path, typed);
    while (name.path.len > 1 && name.path.data[name.path.len - 1] == '/') {
        name.path.data[--name.path.len] = '\0';
        name.has_slash = true;
    }
    if (name.path.failed)
        return olv_fail_memory(err);
    name.last = olv_path_name(olv_text_string(&name.path));
    if (!*typed)
        naming_trouble(n, "", "a name is empty", 0);
    else if (!*name.last)
        naming_left(n, typed, "it is the root, which is never touched itself", 0);
    else if (!place_of(n, &name, &why))
        naming_trouble(n, typed, why.sys ? "looking for it" : why.what, why.sys);
    else if (!olv_os_stat(n->place.fd, name.last, &name.stat))
        not_there(n, &name, errno);
    else
        ok = take_found(n, &name, err);
    olv_text_free(&name.path);
    olv_text_free(&name.shown);
    return ok;
}
