/* SPDX-License-Identifier: Apache-2.0 */
/* Everything is sorted by directory and name, so a docket is the same in whatever order the threads found it,
 * and entries of a directory stay together. A path named twice, or also inside a named tree, appears once. */
#include "olvido/named.h"

#include "file/identity.h"
#include "file/trusted.h"
#include "olvido/guard.h"
#include "olvido/path.h"
#include "olvido/sorter.h"
#include "os/os.h"
#include "scan/scan.h"

#include <errno.h>
#include <fcntl.h>
#include <stdatomic.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct naming {
    const struct olv_named_options *options;
    struct scan_relay relay;
    uint32_t own; /* the effective user */
    struct olv_named *out;
    struct olv_sorter *sorter;
    const char **trees; /* canonical paths of named directories; owned */
    size_t tree_count;
    struct name_worker {
        uint64_t serial; /* of the directory described below; 0: none */
        struct olv_stat dir;
        struct olv_text path, record;
        bool is_guarded;
    } * workers;
    atomic_ulong guarded;
};

/* Follows the directory's path and the name in a record. */
struct found {
    struct olv_identity identity;
    uint64_t links;
    struct olv_directory_id at;
    uint32_t mode, owner;
};

static void named_trouble(struct naming *n, const char *path, const char *what, int sys)
{
    n->out->troubles++;
    olv_observe_unreadable(n->relay.observer, path, what, sys);
}

/* ---- collecting ---- */

/* Directories come after their contents: deepest first. */
static struct olv_instant rank_of(const char *directory, const struct olv_stat *stat)
{
    enum { DEEPEST = 1 << 20 };
    int64_t depth = 0;
    if (stat->kind != OLV_KIND_DIRECTORY)
        return (struct olv_instant){0, 0};
    for (const char *c = directory; *c; c++)
        depth += *c == '/';
    return (struct olv_instant){DEEPEST - depth, 0};
}

static bool named_add(struct naming *n, struct olv_text *record, const char *directory,
                      const struct olv_stat *dir, const char *name, const struct olv_stat *stat,
                      struct olv_error *err)
{
    struct found f = {.identity = olv_identity_of(stat),
                      .links = stat->links,
                      .at = olv_directory_id_of(dir),
                      .mode = stat->mode,
                      .owner = stat->owner};
    olv_text_clear(record);
    olv_text_add(record, directory, strlen(directory) + 1);
    olv_text_add(record, name, strlen(name) + 1);
    olv_text_add(record, &f, sizeof f);
    if (record->failed)
        return olv_fail_memory(err);
    return olv_sorter_add(n->sorter, (struct olv_sorted){rank_of(directory, stat), record->data, record->len},
                          err);
}

static bool named_know_directory(struct naming *n, struct name_worker *w, const struct olv_scan_entry *entry,
                                 struct olv_error *err)
{
    if (w->serial == entry->dir->serial)
        return true;
    w->serial = 0;
    olv_text_clear(&w->path);
    olv_scan_dir_path(entry->dir, &w->path);
    if (w->path.failed)
        return olv_fail_memory(err);
    if (!olv_os_stat(entry->dir_fd, "", &w->dir))
        return olv_fail_system(err, w->path.data, "cannot look at the directory");
    w->is_guarded = olv_guard_of(n->options->guard, w->path.data) != OLV_NO_BARRIER;
    w->serial = entry->dir->serial;
    return true;
}

static bool is_guarded(const struct naming *n, bool in_guarded, const struct olv_stat *stat)
{
    return in_guarded || olv_guard_is_own(n->options->guard, stat->device, stat->inode);
}

static void named_visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct naming *n = self;
    struct name_worker *w = &n->workers[number];
    struct olv_error err = {0};
    bool ok;
    if (!(n->options->kinds & 1u << entry->kind) || (n->options->takes && !n->options->takes(entry->name)) ||
        !olv_scan_look(entry))
        return;
    ok = named_know_directory(n, w, entry, &err);
    if (ok && is_guarded(n, w->is_guarded, &entry->stat))
        atomic_fetch_add(&n->guarded, 1);
    else if (ok)
        ok = named_add(n, &w->record, w->path.data, &w->dir, entry->name, &entry->stat, &err);
    if (!ok)
        scan_relay_fail(&n->relay, &err);
}

static bool named_enter(void *self, unsigned worker, struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    struct naming *n = self;
    (void)worker;
    (void)dir;
    return !atomic_load(&n->relay.has_failed) &&
           !olv_guard_is_own(n->options->guard, stat->device, stat->inode);
}

/* ---- what is named ---- */

/* The canonical directory of a path, and where its name begins; NULL with `err`. */
static char *parent_of(const char *path, const char **name, struct olv_error *err)
{
    char *above = olv_path_directory(path), *real = above ? trusted_resolve(above, err) : NULL;
    *name = olv_path_name(path);
    if (!above)
        olv_fail_memory(err);
    free(above);
    return real;
}

/* A file, or a link itself. */
static bool name_file(struct naming *n, const char *path, struct olv_error *err)
{
    const char *name;
    struct olv_error why = {0};
    char *directory = parent_of(path, &name, &why);
    int fd = directory ? olv_os_open_path(directory) : -1;
    struct olv_stat dir, stat;
    bool ok = true;
    if (why.code == OLV_UNTRUSTED)
        named_trouble(n, path, why.what, 0);
    else if (fd < 0 || !olv_os_stat(fd, "", &dir) || !olv_os_stat(fd, name, &stat))
        named_trouble(n, path, "looking for it", directory ? errno : why.sys);
    else if (!(n->options->kinds & 1u << stat.kind))
        named_trouble(n, path, "it is not a file", 0);
    else if (is_guarded(n, olv_guard_of(n->options->guard, directory) != OLV_NO_BARRIER, &stat))
        atomic_fetch_add(&n->guarded, 1);
    else
        ok = named_add(n, &n->workers[0].record, directory, &dir, name, &stat, err);
    olv_os_close(fd);
    free(directory);
    return ok;
}

/* A directory is walked; a link to one counts as a link, unless written with a trailing slash. */
static bool name_path(struct naming *n, const char *path, struct olv_error *err)
{
    struct olv_error why = {0};
    struct olv_stat stat;
    char *real;
    if (!olv_os_stat(AT_FDCWD, path, &stat)) {
        named_trouble(n, path, "looking for it", errno);
        return true;
    }
    if (stat.kind != OLV_KIND_DIRECTORY)
        return name_file(n, path, err);
    real = trusted_resolve(path, &why);
    if (!real) {
        named_trouble(n, path, why.sys ? "looking for it" : why.what, why.sys);
        return true;
    }
    n->trees[n->tree_count++] = real;
    n->out->directories++;
    return !(n->options->kinds & 1u << OLV_KIND_DIRECTORY) || !strcmp(real, "/") || name_file(n, real, err);
}

/* ---- the docket ---- */

static void tally(struct olv_named *out, const struct found *f, uint32_t own)
{
    bool is_file = f->identity.kind == OLV_KIND_FILE;
    out->files++;
    out->bytes += is_file ? f->identity.size_bytes : 0;
    out->readonly += is_file && !(f->mode & 0222);
    out->others += f->owner != own;
}

static bool named_deliver(struct naming *n, struct olv_composing *composing, const char *record,
                          struct olv_error *err)
{
    const struct olv_named_options *o = n->options;
    const char *name = record + strlen(record) + 1;
    struct olv_docket_entry e = {.rule = OLV_BY_HAND,
                                 .rule_name = "",
                                 .act = o->act,
                                 .if_exists = o->if_exists,
                                 .directory = record,
                                 .name = name,
                                 .target = "",
                                 .arguments = o->arguments};
    struct found f;
    memcpy(&f, name + strlen(name) + 1, sizeof f);
    e.identity = f.identity;
    e.due = f.identity.modified;
    e.links = f.links;
    e.at = f.at;
    tally(n->out, &f, n->own);
    return olv_compose_add(composing, &e, err);
}

static bool deliver_all(struct naming *n, struct olv_error *err)
{
    struct olv_composing composing;
    struct olv_sorted record;
    struct olv_text last = {0};
    bool ok = true;
    olv_compose_begin(&composing, n->out->docket, NULL);
    while (ok && olv_sorter_next(n->sorter, &record, err)) {
        size_t names = record.len - sizeof(struct found);
        if (last.data && last.len == names && memcmp(last.data, record.bytes, names) == 0)
            continue;
        olv_text_clear(&last);
        olv_text_add(&last, record.bytes, names);
        ok = named_deliver(n, &composing, record.bytes, err);
    }
    ok = ok && err->code == OLV_OK && olv_compose_end(&composing, err);
    olv_compose_abandon(&composing);
    olv_text_free(&last);
    return ok;
}

static bool named_make(struct naming *n, const char *const *paths, size_t count, struct olv_error *err)
{
    struct olv_scan_visitor visitor = {
        .self = n, .enter = named_enter, .visit = named_visit, .longest_path = OLV_LONGEST_DIRECTORY};
    n->trees = calloc(count + 1, sizeof *n->trees);
    n->workers = calloc(olv_scan_workers(), sizeof *n->workers);
    if (!n->trees || !n->workers)
        return olv_fail_memory(err);
    n->sorter = olv_sorter_new(err);
    n->out->docket = n->sorter ? olv_spool_new(err) : NULL;
    if (!n->out->docket)
        return false;
    for (size_t i = 0; i < count; i++)
        if (!name_path(n, paths[i], err))
            return false;
    if (!scan_relayed(n->trees, n->tree_count, &visitor, &n->relay, err))
        return false;
    n->out->troubles += n->relay.unreadable;
    return deliver_all(n, err);
}

bool olv_named_make(const char *const *paths, size_t count, const struct olv_named_options *options,
                    const struct olv_observer *observer, struct olv_named *out, struct olv_error *err)
{
    struct naming n = {
        .options = options, .relay = {.observer = observer}, .own = (uint32_t)geteuid(), .out = out};
    bool ok;
    *out = (struct olv_named){0};
    ok = named_make(&n, paths, count, err);
    out->guarded = atomic_load(&n.guarded);
    for (unsigned i = 0; n.workers && i < olv_scan_workers(); i++) {
        olv_text_free(&n.workers[i].path);
        olv_text_free(&n.workers[i].record);
    }
    for (size_t i = 0; i < n.tree_count; i++)
        free((char *)(uintptr_t)n.trees[i]);
    free(n.trees);
    free(n.workers);
    olv_sorter_free(n.sorter);
    return ok;
}

void olv_named_free(struct olv_named *named)
{
    olv_spool_free(named->docket);
    *named = (struct olv_named){0};
}
