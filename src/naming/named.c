/* SPDX-License-Identifier: Apache-2.0 */
/* Everything is sorted by directory and name, so a docket is the same in whatever order the threads found it,
 * and entries of a directory stay together. A path named twice, or also inside a named tree, appears once. */
#include "naming/naming.h"

#include "act/sweep.h"
#include "file/identity.h"
#include "olvido/path.h"
#include "os/os.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

bool paths_add(struct paths *paths, char *path, struct olv_error *err)
{
    if (!path || !grow(&paths->items, paths->count, &paths->cap, sizeof *paths->items)) {
        free(path);
        return olv_fail_memory(err);
    }
    paths->items[paths->count++] = path;
    return true;
}

void paths_free(struct paths *paths)
{
    for (size_t i = 0; i < paths->count; i++)
        free(paths->items[i]);
    free(paths->items);
    *paths = (struct paths){0};
}

static int by_text(const void *a, const void *b)
{
    return strcmp(*(char *const *)a, *(char *const *)b);
}

void paths_sort(struct paths *paths)
{
    if (paths->count)
        qsort(paths->items, paths->count, sizeof *paths->items, by_text);
}

bool paths_have(const struct paths *paths, const char *path)
{
    return paths->count && bsearch(&path, paths->items, paths->count, sizeof *paths->items, by_text);
}

/* ---- telling ---- */

void naming_trouble(struct naming *n, const char *path, const char *what, int sys)
{
    pthread_mutex_lock(&n->mutex);
    n->out->troubles++;
    olv_observe_unreadable(n->relay.observer, path, what, sys);
    pthread_mutex_unlock(&n->mutex);
}

void naming_tell(struct naming *n, const char *path, const char *what, int sys)
{
    pthread_mutex_lock(&n->mutex);
    olv_observe_trouble(n->relay.observer, (struct olv_trouble){OLV_TROUBLE_LEFT, path, what, sys});
    pthread_mutex_unlock(&n->mutex);
}

void naming_left(struct naming *n, const char *path, const char *why, int sys)
{
    atomic_fetch_add(&n->left, 1);
    naming_tell(n, path, why, sys);
}

/* ---- collecting ---- */

bool naming_add(struct naming *n, struct olv_text *record, const char *directory, const char *name,
                const char *state, const struct found *found, struct olv_error *err)
{
    olv_text_clear(record);
    bool is_late = found->is_emptied != n->options->is_top_down;
    if (found->is_emptied && !n->options->is_top_down)
        olv_path_add_bottom_up(record, directory, name);
    olv_text_add(record, "", 1);
    olv_text_add(record, directory, strlen(directory) + 1);
    olv_text_add(record, name, strlen(name) + 1);
    olv_text_add(record, found, sizeof *found);
    olv_text_add(record, state, strlen(state) + 1);
    if (record->failed)
        return olv_fail_memory(err);
    return olv_sorter_add(n->sorter, (struct olv_sorted){{is_late, 0}, record->data, record->len}, err);
}

struct found found_of(const struct naming *n, const struct olv_stat *dir, const struct olv_stat *stat)
{
    struct found f;
    memset(&f, 0, sizeof f); /* records are compared as bytes */
    f.identity = olv_identity_of(stat);
    f.links = stat->links;
    f.at = olv_directory_id_of(dir);
    f.is_readonly = stat->kind == OLV_KIND_FILE && !(stat->mode & 0222);
    f.is_others = stat->owner != n->own;
    f.is_emptied = stat->kind == OLV_KIND_DIRECTORY;
    return f;
}

/* ---- the docket ---- */

static void tally(struct olv_named *out, const struct found *f)
{
    bool is_directory = f->identity.kind == OLV_KIND_DIRECTORY, is_file = f->identity.kind == OLV_KIND_FILE;
    out->files += is_directory ? f->contents.files : 1;
    out->bytes += is_directory ? f->contents.bytes : is_file ? f->identity.size_bytes : 0;
    out->entries++;
    out->goes += is_directory;
    out->readonly += f->is_readonly;
    out->others += f->is_others;
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
    const char *after = name + strlen(name) + 1;
    struct sweep_arguments swept = {.state = after + sizeof(struct found)};
    struct found f;
    memcpy(&f, after, sizeof f);
    if (o->directories == OLV_EMPTY_DIRECTORIES)
        e.arguments = &swept;
    e.identity = f.identity;
    e.due = f.identity.modified;
    e.links = f.links;
    e.at = f.at;
    e.contents = f.contents;
    e.is_readonly = f.is_readonly;
    e.is_others = f.is_others;
    e.is_emptied = f.is_emptied && o->is_removed;
    tally(n->out, &f);
    return olv_compose_add(composing, &e, err);
}

/* Whether it lies in a directory that goes whole. */
static bool goes_along(const struct paths *wholes, char *directory)
{
    size_t len = strlen(directory);
    bool is_in = false;
    for (size_t end = len; !is_in && end > 1; end--) {
        char kept = directory[end];
        if (end < len && kept != '/')
            continue;
        directory[end] = '\0';
        is_in = paths_have(wholes, directory);
        directory[end] = kept;
    }
    return is_in;
}

/* The length of the directory and the name in a record. */
static size_t names_of(const char *record)
{
    size_t directory = strlen(record) + 1;
    return directory + strlen(record + directory) + 1;
}

static bool deliver_all(struct naming *n, struct olv_error *err)
{
    struct olv_composing composing;
    struct olv_sorted record;
    struct olv_text last = {0};
    bool ok = true;
    paths_sort(&n->wholes);
    olv_compose_begin(&composing, n->out->docket, NULL);
    while (ok && olv_sorter_next(n->sorter, &record, err)) {
        const char *bytes = record.bytes,
                   *named = bytes + strlen(bytes) + 1; /* behind its place in the order */
        size_t names = names_of(named);
        if (last.data && last.len == names && memcmp(last.data, named, names) == 0)
            continue;
        olv_text_clear(&last);
        olv_text_add(&last, named, names);
        if (last.failed)
            ok = olv_fail_memory(err);
        else if (!n->wholes.count || !goes_along(&n->wholes, last.data))
            ok = named_deliver(n, &composing, named, err);
        /* goes_along leaves it as it was */
    }
    ok = ok && err->code == OLV_OK && olv_compose_end(&composing, err);
    olv_compose_abandon(&composing);
    olv_text_free(&last);
    return ok;
}

/* ---- all of it ---- */

static bool named_prepare(struct naming *n, struct olv_error *err)
{
    const struct olv_expr *where = n->options->where;
    n->workers = calloc(olv_scan_workers(), sizeof *n->workers);
    if (!n->workers)
        return olv_fail_memory(err);
    for (unsigned i = 0; i < olv_scan_workers(); i++) {
        n->workers[i].dir.fd = -1;
        if (where && !(n->workers[i].scratch = olv_expr_scratch_new()))
            return olv_fail_memory(err);
    }
    if (where && !(n->ages = olv_expr_bind(where, olv_os_now(), NULL)))
        return olv_fail_memory(err);
    n->sorter = olv_sorter_new(err);
    n->out->docket = n->sorter ? olv_spool_new(err) : NULL;
    return n->out->docket != NULL;
}

static bool take_names(struct naming *n, const char *const *paths, size_t count, struct olv_error *err)
{
    for (size_t i = 0; i < count; i++) {
        if (olv_observe_interrupted(n->relay.observer))
            return olv_fail(err, OLV_INTERRUPTED, "interrupted while looking");
        if (!name_take(n, paths[i], err))
            return false;
    }
    return true;
}

static bool take_trees(struct naming *n, struct olv_error *err)
{
    return n->options->directories == OLV_EMPTY_DIRECTORIES ? sweeping_take(n, err) : trees_take(n, err);
}

static bool named_make(struct naming *n, const char *const *paths, size_t count, struct olv_error *err)
{
    struct paths found = {0};
    bool ok = named_prepare(n, err);
    if (ok && n->options->matching) {
        ok = matching_find(n, paths, count, &found, err) &&
             take_names(n, (const char *const *)found.items, found.count, err);
    } else if (ok) {
        ok = take_names(n, paths, count, err);
    }
    paths_free(&found);
    return ok && take_trees(n, err) && everything_find(n, err) && deliver_all(n, err);
}

static void place_free(struct place *place)
{
    olv_text_free(&place->typed);
    olv_text_free(&place->words);
    free(place->path);
}

static void naming_free(struct naming *n)
{
    for (unsigned i = 0; n->workers && i < olv_scan_workers(); i++) {
        olv_expr_scratch_free(n->workers[i].scratch);
        olv_text_free(&n->workers[i].record);
        olv_text_free(&n->workers[i].path);
        place_free(&n->workers[i].dir);
    }
    free(n->workers);
    for (size_t i = 0; n->seen && i < n->full.count; i++)
        paths_free(&n->seen[i]);
    free(n->seen);
    paths_free(&n->trees);
    paths_free(&n->wholes);
    paths_free(&n->full);
    olv_os_close(n->place.fd);
    place_free(&n->place);
    free(n->ages);
    olv_sorter_free(n->sorter);
    pthread_mutex_destroy(&n->mutex);
}

bool olv_named_make(const char *const *paths, size_t count, const struct olv_named_options *options,
                    const struct olv_observer *observer, struct olv_named *out, struct olv_error *err)
{
    struct naming n = {.options = options,
                       .relay = {.observer = observer},
                       .own = (uint32_t)geteuid(),
                       .out = out,
                       .place = {.fd = -1}};
    bool ok;
    *out = (struct olv_named){0};
    pthread_mutex_init(&n.mutex, NULL);
    ok = named_make(&n, paths, count, err);
    out->guarded = atomic_load(&n.guarded);
    out->left = atomic_load(&n.left);
    naming_free(&n);
    return ok;
}

void olv_named_free(struct olv_named *named)
{
    free(named->everything);
    olv_spool_free(named->docket);
    *named = (struct olv_named){0};
}
