/* SPDX-License-Identifier: Apache-2.0 */
/* Candidates are sorted by path, then by the time they were discarded (or modified, for the state as of a
 * date), so that the wanted version of each path is the last of its group, however large the trashes are. */
#include "olvido/items.h"

#include "depot/locate.h"
#include "file/identity.h"
#include "olvido/path.h"
#include "olvido/sorter.h"
#include "os/os.h"
#include "scan/contents.h"

#include <errno.h>
#include <limits.h>
#include <stdint.h>
#include <stdio.h>
#include <string.h>

struct finding {
    struct olv_hasher *hasher;
    struct olv_trashes *trashes;
    const struct olv_item_query *query;
    size_t trash; /* index of the trash in progress */
    struct olv_sorter *sorter;
    struct olv_text record, target, twin;
    struct olv_location location; /* of the current entry */
    struct olv_text
        common; /* the deepest directory that contains everything found; unset while nothing was */
    bool has_common;
    struct olv_error error; /* of the sorter, while adding items */
    struct olv_spool *docket;
    struct olv_composing composing, behind;
    struct olv_spool *late; /* other names of hard links: they come after the first ones */
    void (*each)(void *self, const struct olv_found_item *found);
    void *self;
};

/* Follows the path and the time in a record: what the docket needs. */
struct candidate {
    struct olv_stat stat;
    struct olv_instant deleted;
    uint64_t size_bytes, files;
    bool has_contents; /* of a directory: what is in it is known */
    size_t trash;      /* IN_DEPOT: it lies in one, and its depot, the depot's path, its twin and its location
                          follow the name */
    enum olv_trash_state state;
};

#define IN_DEPOT SIZE_MAX

/* ---- what fits ---- */

static bool fits_any(const struct olv_item_query *query, const char *path)
{
    size_t len = strlen(path);
    for (size_t i = 0; i < query->pattern_count; i++)
        if (olv_pattern_fits_above(query->patterns[i], path, len))
            return true;
    return query->pattern_count == 0;
}

/* One of unknown origin by its name. */
static bool fits_item(const struct olv_item_query *query, const struct olv_trash_item *item)
{
    char path[NAME_MAX + 2];
    if (*item->path)
        return fits_any(query, item->path);
    snprintf(path, sizeof path, "/%s", item->name);
    return fits_any(query, path);
}

static bool gives_back(const struct olv_item_query *query)
{
    return query->act->destination == OLV_BACK;
}

/* An item of unknown origin can still be recovered into a directory; a missing item can only be cleared. */
static bool is_possible(const struct olv_item_query *query, const struct olv_trash_item *item)
{
    if (!gives_back(query))
        return true;
    return item->state == OLV_TRASH_SOUND || (query->into && item->state != OLV_TRASH_LOST);
}

static bool was_so(const struct olv_item_query *query, struct olv_instant modified)
{
    return !query->has_as_of || olv_instant_compare(modified, query->as_of) <= 0;
}

static bool items_fits(const struct olv_item_query *query, const struct olv_trash_item *item)
{
    if (!was_so(query, item->stat.modified))
        return false;
    if (!is_possible(query, item) || !fits_item(query, item))
        return false;
    if (query->run && strcmp(item->run, query->run) != 0)
        return false;
    if (query->only_ours && !*item->run)
        return false;
    if ((query->has_since || query->has_until) && item->deleted.s == 0)
        return false;
    return (!query->has_since || olv_instant_compare(item->deleted, query->since) >= 0) &&
           (!query->has_until || olv_instant_compare(item->deleted, query->until) < 0);
}

/* ---- collecting ---- */

/* Bytes that sort like the number. */
static void add_sortable(struct olv_text *out, uint64_t number)
{
    for (int shift = 56; shift >= 0; shift -= 8) {
        unsigned char byte = (unsigned char)(number >> shift);
        olv_text_add(out, &byte, 1);
    }
}

static void add_instant(struct olv_text *out, struct olv_instant t)
{
    add_sortable(out, (uint64_t)t.s ^ (uint64_t)1 << 63); /* times before 1970 come first */
    add_sortable(out, t.ns);
}

/* Shortens the common directory until it contains the path. */
static void narrow_common(struct finding *f, const char *path)
{
    size_t end = (size_t)(olv_path_name(path) - path) - 1, same = 0;
    char *common = f->common.data;
    if (!f->has_common) {
        f->has_common = true;
        olv_text_add(&f->common, path, end);
        return;
    }
    while (same < f->common.len && same < end && common[same] == path[same])
        same++;
    if (same < f->common.len || same < end) { /* not a whole directory: back to the end of a component */
        bool is_end =
            (same == f->common.len && path[same] == '/') || (same == end && common && common[same] == '/');
        while (!is_end && same > 0 && common[--same] != '/')
            ;
    }
    if (common)
        common[f->common.len = same] = '\0';
}

static bool add_item(void *self, const struct olv_trash_item *item)
{
    struct finding *f = self;
    struct candidate c = {item->stat,         item->deleted, item->size_bytes, item->files,
                          item->has_contents, f->trash,      item->state};
    if (!items_fits(f->query, item) ||
        (f->query->skips && f->query->skips(f->query->skipping, olv_trashes_at(f->trashes, f->trash), item)))
        return true;
    if (*item->path)
        narrow_common(f, item->path);
    olv_text_clear(&f->record);
    olv_text_add(&f->record, item->path, strlen(item->path) + 1);
    if (f->query->has_as_of)
        add_instant(&f->record, item->stat.modified);
    else
        add_instant(&f->record, (struct olv_instant){item->deleted.s, 0});
    add_instant(&f->record,
                item->stat.changed); /* the rename into the trash: more precise than the info file */
    olv_text_add(&f->record, &c, sizeof c);
    olv_text_add(&f->record, item->name, strlen(item->name) + 1);
    if (f->record.failed || f->common.failed)
        return olv_fail_memory(&f->error);
    return olv_sorter_add(f->sorter, (struct olv_sorted){{0, 0}, f->record.data, f->record.len}, &f->error);
}

static bool items_collect(struct finding *f, struct olv_error *err)
{
    for (f->trash = 0; f->trash < olv_trashes_count(f->trashes); f->trash++) {
        if (!olv_trash_each(olv_trashes_at(f->trashes, f->trash), add_item, f, err))
            return false;
        if (f->error.code != OLV_OK) {
            *err = f->error;
            return false;
        }
    }
    return true;
}

/* ---- where it goes ---- */

static const char *target_of(struct finding *f, const char *path, const char *item)
{
    const struct olv_item_query *query = f->query;
    if (gives_back(query) && !query->into)
        return path;
    olv_text_clear(&f->target);
    if (gives_back(query)) {
        olv_text_puts(&f->target, strcmp(query->into, "/") ? query->into : "");
        if (*path)
            olv_text_puts(&f->target, path + f->common.len);
        else
            olv_text_printf(&f->target, "/%s", item);
    } else {
        olv_text_puts(&f->target, path); /* clearing: what the ledger calls it */
    }
    return olv_text_string(&f->target);
}

/* ---- what lies in depots ---- */

static bool file_fits(const struct olv_item_query *query, const struct olv_stored_file *file)
{
    if (!was_so(query, file->modified) || !fits_any(query, file->path) ||
        (query->run && strcmp(file->run, query->run) != 0))
        return false;
    return (!query->has_since || olv_instant_compare(file->archived, query->since) >= 0) &&
           (!query->has_until || olv_instant_compare(file->archived, query->until) < 0);
}

static void put_string(struct olv_text *record, const char *string)
{
    olv_text_add(record, string, strlen(string) + 1);
}

static bool add_file(void *self, const struct olv_stored_file *file)
{
    struct finding *f = self;
    struct candidate c = {.deleted = file->archived, .size_bytes = file->size_bytes, .trash = IN_DEPOT};
    struct olv_location location;
    if (!file_fits(f->query, file))
        return true;
    narrow_common(f, file->path);
    c.stat.kind = file->kind;
    c.files = file->kind != OLV_KIND_DIRECTORY;
    c.stat.modified = file->modified;
    olv_text_clear(&f->record);
    put_string(&f->record, file->path);
    add_instant(&f->record, f->query->has_as_of ? file->modified : (struct olv_instant){file->archived.s, 0});
    add_instant(&f->record, file->archived);
    olv_text_add(&f->record, &c, sizeof c);
    put_string(&f->record, file->archive_name);
    put_string(&f->record, file->depot);
    put_string(&f->record, file->depot_path);
    put_string(&f->record, file->twin);
    location = locate_contents(file, f->hasher);
    olv_text_add(&f->record, &location, sizeof location);
    if (f->record.failed || f->common.failed)
        return olv_fail_memory(&f->error);
    return olv_sorter_add(f->sorter, (struct olv_sorted){{0, 0}, f->record.data, f->record.len}, &f->error);
}

/* Then it is looked up instead of compared with everything. NULL: there is no such path. */
static const char *only_path(const struct olv_item_query *query)
{
    const char *path = query->pattern_count == 1 ? olv_pattern_only(query->patterns[0]) : NULL;
    return path && path[0] == '/' && path[1] ? path : NULL;
}

static bool collect_depots(struct finding *f, struct olv_error *err)
{
    const char *only = only_path(f->query);
    if (!f->query->catalogue)
        return true;
    if (only ? !olv_catalogue_tree(f->query->catalogue, only, add_file, f, err)
             : !olv_catalogue_files(f->query->catalogue, OLV_STORED_BY_PATH, add_file, f, err))
        return false;
    *err = f->error;
    return err->code == OLV_OK;
}

/* Reads the archive's present identity; without it the entry is empty, and fails in its turn. */
static void look_at_archive(const char *directory, struct olv_docket_entry *e)
{
    int dir = olv_os_open_path(directory);
    struct olv_stat stat;
    if (dir >= 0 && olv_os_stat(dir, "", &stat)) {
        e->at = olv_directory_id_of(&stat);
        if (olv_os_stat(dir, e->name, &stat))
            e->identity = olv_identity_of(&stat);
    }
    olv_os_close(dir);
}

/* Where the other name of a hard link goes, if it goes to the same place. */
static const char *where_twin_goes(struct finding *f, const char *twin)
{
    if (!*twin || strncmp(twin, f->common.data, f->common.len) != 0)
        return "";
    olv_text_clear(&f->twin);
    olv_text_puts(&f->twin, target_of(f, twin, ""));
    if (f->twin.len > OLV_LONGEST_PATH)
        return ""; /* it does not go there */
    return olv_text_string(&f->twin);
}

static void describe_file(struct finding *f, struct olv_docket_entry *e, struct olv_found_item *found)
{
    const char *depot = e->name + strlen(e->name) + 1, *directory = depot + strlen(depot) + 1,
               *twin = directory + strlen(directory) + 1;
    memcpy(&f->location, twin + strlen(twin) + 1, sizeof f->location);
    f->location.twin = where_twin_goes(f, twin);
    e->place = OLV_IN_DEPOT;
    e->location = &f->location;
    e->directory = directory;
    look_at_archive(directory, e);
    e->identity.kind = OLV_KIND_FILE;
    found->depot = depot;
    found->state = OLV_TRASH_SOUND;
}

/* ---- delivering ---- */

/* Other names of hard links come last. */
static bool items_add_to_docket(struct finding *f, const struct olv_docket_entry *e, struct olv_error *err)
{
    bool is_late = e->location && *e->location->twin;
    return !f->docket || olv_compose_add(is_late ? &f->behind : &f->composing, e, err);
}

static bool items_flush(struct finding *f, struct olv_error *err)
{
    return !f->docket || (olv_compose_end(&f->composing, err) && olv_compose_end(&f->behind, err) &&
                          olv_spool_append(f->docket, f->late, err));
}

static void describe_item(struct olv_trash *trash, const struct candidate *c, struct olv_docket_entry *e,
                          struct olv_found_item *found)
{
    e->place = OLV_IN_TRASH;
    e->identity = olv_identity_of(&c->stat);
    e->links = c->stat.links;
    e->contents.files = c->files;
    e->contents.bytes = c->size_bytes;
    e->directory = olv_trash_files_path(trash);
    e->at = olv_trash_files_identity(trash);
    found->trash = trash;
}

/* What another program put there is walked once, so that whoever is asked knows how much it is. What cannot
 * be looked at is not counted. */
static void look_into(struct olv_trash *trash, const char *item, struct candidate *c)
{
    struct olv_contents contents;
    struct olv_error ignored = {0};
    if (c->stat.kind != OLV_KIND_DIRECTORY || c->has_contents ||
        !olv_scan_contents(olv_trash_files(trash), item, NULL, &contents, &ignored))
        return;
    c->files = contents.files;
    c->size_bytes = contents.bytes;
}

static bool items_deliver(struct finding *f, const char *record, uint64_t older, struct olv_error *err)
{
    enum { SORTABLE = 32 };
    const struct olv_item_query *query = f->query;
    size_t path_len = strlen(record) + 1;
    struct olv_docket_entry e = {.rule = query->rule,
                                 .step = query->step,
                                 .rule_name = query->rule_name ? query->rule_name : "",
                                 .act = query->act,
                                 .arguments = query->arguments,
                                 .if_exists = query->if_exists};
    struct candidate c;
    struct olv_found_item found;
    memcpy(&c, record + path_len + SORTABLE, sizeof c);
    e.name = record + path_len + SORTABLE + sizeof c;
    e.due = c.deleted;
    if (c.trash != IN_DEPOT)
        look_into(olv_trashes_at(f->trashes, c.trash), e.name, &c);
    found = (struct olv_found_item){.path = record,
                                    .item = e.name,
                                    .depot = "",
                                    .state = c.state,
                                    .deleted = c.deleted,
                                    .modified = c.stat.modified,
                                    .size_bytes = c.size_bytes,
                                    .files = c.files,
                                    .kind = c.stat.kind,
                                    .older_versions = older};
    if (c.trash == IN_DEPOT)
        describe_file(f, &e, &found);
    else
        describe_item(olv_trashes_at(f->trashes, c.trash), &c, &e, &found);
    e.target = found.target = target_of(f, record, e.name);
    if (f->docket && strlen(e.target) > OLV_LONGEST_PATH) { /* the others are not kept by it */
        olv_observe_unreadable(query->observer, record,
                               "it stays where it is: where it would go has too long a path", ENAMETOOLONG);
        return true;
    }
    f->each(f->self, &found);
    return items_add_to_docket(f, &e, err);
}

/* One after the other; each is held back until the next one shows whether it is the newest of its path. */
static bool deliver_all(struct finding *f, struct olv_error *err)
{
    struct olv_text last = {0};
    struct olv_sorted record;
    uint64_t older = 0;
    bool ok = true, newest_only = gives_back(f->query) && !f->query->wants_versions;
    while (ok && olv_sorter_next(f->sorter, &record, err)) {
        bool is_same = newest_only && last.len && last.data[0] && strcmp(last.data, record.bytes) == 0;
        if (last.len && !is_same)
            ok = items_deliver(f, last.data, older, err);
        older = is_same ? older + 1 : 0;
        olv_text_clear(&last);
        olv_text_add(&last, record.bytes, record.len);
    }
    ok = ok && err->code == OLV_OK && (last.len == 0 || items_deliver(f, last.data, older, err)) &&
         items_flush(f, err);
    olv_text_free(&last);
    return ok;
}

bool olv_items_find(struct olv_trashes *trashes, const struct olv_item_query *query, struct olv_spool *docket,
                    void (*each)(void *self, const struct olv_found_item *found), void *self,
                    struct olv_error *err)
{
    struct finding f = {.trashes = trashes, .query = query, .docket = docket, .each = each, .self = self};
    bool ok;
    f.sorter = olv_sorter_new(err);
    f.hasher = olv_hasher_new();
    f.late = f.sorter ? olv_spool_new(err) : NULL;
    olv_compose_begin(&f.composing, docket, NULL);
    olv_compose_begin(&f.behind, f.late, NULL);
    ok = (f.hasher || olv_fail_memory(err)) && f.late && items_collect(&f, err) && collect_depots(&f, err) &&
         deliver_all(&f, err);
    olv_sorter_free(f.sorter);
    olv_hasher_free(f.hasher);
    olv_compose_abandon(&f.composing);
    olv_compose_abandon(&f.behind);
    olv_spool_free(f.late);
    olv_text_free(&f.record);
    olv_text_free(&f.target);
    olv_text_free(&f.twin);
    olv_text_free(&f.common);
    return ok;
}
