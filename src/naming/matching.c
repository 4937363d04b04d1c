/* SPDX-License-Identifier: Apache-2.0 */
/* The names that fit patterns. What fits brings what is below it, so nothing is looked for in there. */
#include "naming/naming.h"

#include "file/trusted.h"
#include "olvido/path.h"
#include "os/os.h"

#include <stdlib.h>
#include <string.h>

struct matching {
    struct naming *naming;
    struct paths *out;
    struct paths roots;
    size_t *skip;  /* of each root: how much of a path is not matched; owned */
    bool is_whole; /* the patterns are whole paths */
};

/* What marks a directory that fits itself. */
static char caught;

static bool fits_any(const struct matching *m, const char *path, bool only_leads)
{
    const struct olv_named_options *o = m->naming->options;
    size_t len = strlen(path);
    for (size_t i = 0; i < o->matching_count; i++) {
        const struct olv_pattern *p = o->matching[i];
        if ((*olv_pattern_begins(p) == '/') == m->is_whole &&
            (only_leads ? olv_pattern_leads(p, path, len) : olv_pattern_fits(p, path, len)))
            return true;
    }
    return false;
}

static bool catch_it(struct matching *m, const struct olv_scan_entry *entry, const char *path,
                     struct olv_error *err)
{
    struct olv_named *out = m->naming->out;
    bool ok;
    pthread_mutex_lock(&m->naming->mutex);
    out->caught++;
    out->caught_hidden += entry->name[0] == '.';
    out->caught_directories += entry->kind == OLV_KIND_DIRECTORY;
    ok = paths_add(m->out, strdup(path), err);
    pthread_mutex_unlock(&m->naming->mutex);
    return ok;
}

static void matching_visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct matching *m = self;
    struct olv_text *path = &m->naming->workers[number].path;
    struct olv_error err = {0};
    olv_text_clear(path);
    olv_scan_dir_path(entry->dir, path);
    if (path->len > 1)
        olv_text_add(path, "/", 1);
    olv_text_add(path, entry->name, entry->name_len);
    if (path->failed) {
        scan_relay_fail(&m->naming->relay, NULL);
    } else if (fits_any(m, path->data + m->skip[entry->dir->root], false)) {
        entry->data = &caught;
        if (!catch_it(m, entry, path->data, &err))
            scan_relay_fail(&m->naming->relay, &err);
    }
}

static bool matching_enter(void *self, unsigned number, struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    struct matching *m = self;
    struct olv_text *path = &m->naming->workers[number].path;
    (void)stat;
    if (atomic_load(&m->naming->relay.has_failed) || dir->data == &caught)
        return false;
    olv_text_clear(path);
    olv_scan_dir_path(dir, path);
    if (path->len > 1)
        olv_text_add(path, "/", 1);
    return !path->failed &&
           (path->len <= m->skip[dir->root] || fits_any(m, path->data + m->skip[dir->root], true));
}

static bool add_root(struct matching *m, const char *typed, struct olv_error *err)
{
    struct olv_error why = {0};
    char *real = trusted_resolve(typed, &why);
    struct olv_stat stat;
    if (!real) {
        naming_trouble(m->naming, typed, why.sys ? "looking for it" : why.what, why.sys);
        return true;
    }
    if (olv_os_stat_path(real, &stat) && stat.kind != OLV_KIND_DIRECTORY) {
        naming_left(m->naming, typed, "it is no directory in which --matching could look", 0);
        free(real);
        return true;
    }
    return paths_add(&m->roots, real, err);
}

/* Where a pattern of whole paths begins. */
static bool add_beginnings(struct matching *m, struct olv_error *err)
{
    const struct olv_named_options *o = m->naming->options;
    for (size_t i = 0; i < o->matching_count; i++) {
        const char *begins = olv_pattern_begins(o->matching[i]);
        char *above = *begins == '/' ? olv_path_directory(begins) : NULL;
        bool ok = *begins != '/' || (above ? add_root(m, above, err) : olv_fail_memory(err));
        free(above);
        if (!ok)
            return false;
    }
    return true;
}

static bool search(struct matching *m, struct olv_error *err)
{
    struct olv_scan_visitor visitor = {.self = m, .enter = matching_enter, .visit = matching_visit};
    bool ok;
    m->skip = calloc(m->roots.count + 1, sizeof *m->skip);
    for (size_t i = 0; m->skip && !m->is_whole && i < m->roots.count; i++)
        m->skip[i] = strlen(m->roots.items[i]) + (strlen(m->roots.items[i]) > 1);
    ok = m->skip ? scan_relayed((const char *const *)m->roots.items, m->roots.count, &visitor,
                                &m->naming->relay, err)
                 : olv_fail_memory(err);
    m->naming->out->troubles += m->naming->relay.unreadable;
    m->naming->relay.unreadable = 0;
    free(m->skip);
    paths_free(&m->roots);
    return ok;
}

bool matching_find(struct naming *n, const char *const *bases, size_t count, struct paths *out,
                   struct olv_error *err)
{
    struct matching m = {.naming = n, .out = out};
    bool ok = true;
    for (size_t i = 0; ok && i < count; i++)
        ok = add_root(&m, bases[i], err);
    ok = ok && (count || add_root(&m, ".", err)) && search(&m, err);
    m.is_whole = true;
    ok = ok && add_beginnings(&m, err) && search(&m, err);
    paths_free(&m.roots);
    paths_sort(out);
    return ok;
}
