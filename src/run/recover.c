/* SPDX-License-Identifier: Apache-2.0 */
/* The trash as a source. Candidates go through the sorter, by path and then by the time they were discarded,
 * so that the newest version of each path is the last of its group, whatever the size of the trash. */
#include "olvido/recover.h"

#include "base/glob.h"
#include "file/identity.h"
#include "olvido/ledger.h"
#include "olvido/sorter.h"

#include <string.h>

struct finding {
    struct olv_trash *trash;
    const struct olv_recover_options *options;
    struct olv_sorter *sorter;
    struct olv_text record;
    struct olv_error error; /* of the sorter, while items come in */
    uint64_t run_lines;     /* of the wanted run */
    struct olv_spool *docket;
    struct olv_segment_writer segment;
    void (*each)(void *self, const struct olv_recoverable *found);
    void *self;
};

/* Behind the path and the time in a record: what the docket needs. */
struct candidate {
    struct olv_stat stat;
    struct olv_instant deleted;
};

static bool fits_one(const char *pattern, const char *path)
{
    size_t n = strlen(pattern), len = strlen(path);
    const char *slash = strrchr(path, '/');
    if (!strchr(pattern, '/'))
        return olv_glob_match(pattern, n, slash + 1, strlen(slash + 1), false);
    if (strncmp(path, pattern, n) == 0 && (path[n] == '\0' || path[n] == '/' || pattern[n - 1] == '/'))
        return true;
    return olv_glob_match(pattern, n, path, len, false);
}

static bool fits(const struct olv_recover_options *options, const char *path)
{
    for (size_t i = 0; i < options->pattern_count; i++)
        if (fits_one(options->patterns[i], path))
            return true;
    return options->pattern_count == 0;
}

/* Bytes that sort like the number. */
static void add_sortable(struct olv_text *out, uint64_t number)
{
    for (int shift = 56; shift >= 0; shift -= 8) {
        unsigned char byte = (unsigned char)(number >> shift);
        olv_text_add(out, &byte, 1);
    }
}

static bool add_item(void *self, const struct olv_trash_item *item)
{
    struct finding *f = self;
    struct candidate c = {item->stat, item->deleted};
    if (item->state != OLV_TRASH_SOUND || !fits(f->options, item->path))
        return true;
    olv_text_clear(&f->record);
    olv_text_add(&f->record, item->path, strlen(item->path) + 1);
    add_sortable(&f->record, (uint64_t)item->deleted.s);
    add_sortable(&f->record,
                 (uint64_t)item->stat.changed.s); /* the rename into the trash: finer than the info file */
    add_sortable(&f->record, item->stat.changed.ns);
    olv_text_add(&f->record, &c, sizeof c);
    olv_text_add(&f->record, item->name, strlen(item->name) + 1);
    if (f->record.failed)
        return olv_fail_memory(&f->error);
    return olv_sorter_add(f->sorter, (struct olv_record){{0, 0}, f->record.data, f->record.len}, &f->error);
}

static bool add_of_run(void *self, const struct olv_ledger_record *r)
{
    struct finding *f = self;
    struct olv_trash_item item;
    if (strcmp(r->run, f->options->run) != 0)
        return true;
    f->run_lines++;
    if (strcmp(r->act, "discard") != 0 || strcmp(r->result, "done") != 0 || !*r->trash)
        return true;
    if (!olv_trash_find(f->trash, r->trash, &item) || (*r->path && strcmp(r->path, item.path) != 0))
        return true; /* recovered or cleared meanwhile, and the name used again */
    return add_item(f, &item);
}

static bool collect(struct finding *f, struct olv_error *err)
{
    bool ok;
    if (f->options->run)
        ok = olv_ledger_each(f->options->state, add_of_run, f, err);
    else
        ok = olv_trash_each(f->trash, add_item, f, err);
    if (ok && f->options->run && f->run_lines == 0) {
        ok = olv_fail(err, OLV_USAGE, "the ledger knows no run %.64s", f->options->run);
        olv_error_hint(err, "`olvido audit show` lists the runs");
    }
    if (ok && f->error.code != OLV_OK) {
        *err = f->error;
        ok = false;
    }
    return ok;
}

static bool flush(struct finding *f, struct olv_error *err)
{
    bool ok = !f->docket || f->segment.entries == 0 || olv_spool_add(f->docket, &f->segment.bytes, err);
    olv_segment_begin(&f->segment);
    return ok;
}

static bool deliver(struct finding *f, const char *record, uint64_t older, struct olv_error *err)
{
    enum { SORTABLE = 24 };
    size_t path_len = strlen(record) + 1;
    struct olv_docket_entry e = {
        .rule = OLV_BY_HAND, .rule_name = "", .act = OLV_ACT_RECOVER, .target = record};
    struct candidate c;
    memcpy(&c, record + path_len + SORTABLE, sizeof c);
    e.name = record + path_len + SORTABLE + sizeof c;
    e.identity = olv_identity_of(&c.stat);
    e.due = c.deleted;
    e.directory = olv_trash_files_path(f->trash);
    olv_trash_files_identity(f->trash, &e.directory_mount, &e.directory_inode);
    f->each(f->self,
            &(struct olv_recoverable){record, e.name, c.deleted, c.stat.size_bytes, c.stat.kind, older});
    olv_segment_add(&f->segment, &e);
    return f->segment.entries < OLV_SEGMENT_ENTRIES || flush(f, err);
}

static bool deliver_all(struct finding *f, struct olv_error *err)
{
    struct olv_text last = {0};
    struct olv_record record;
    uint64_t older = 0;
    bool ok = true;
    while (ok && olv_sorter_next(f->sorter, &record, err)) {
        bool is_same = last.len && strcmp(last.data, record.bytes) == 0;
        if (last.len && !is_same)
            ok = deliver(f, last.data, older, err);
        older = is_same ? older + 1 : 0;
        olv_text_clear(&last);
        olv_text_add(&last, record.bytes, record.len);
    }
    ok = ok && err->code == OLV_OK && (last.len == 0 || deliver(f, last.data, older, err)) && flush(f, err);
    olv_text_free(&last);
    return ok;
}

bool olv_recover_find(struct olv_trash *trash, const struct olv_recover_options *options,
                      struct olv_spool *docket, void (*each)(void *self, const struct olv_recoverable *found),
                      void *self, struct olv_error *err)
{
    struct finding f = {.trash = trash, .options = options, .docket = docket, .each = each, .self = self};
    bool ok;
    f.sorter = olv_sorter_new(err);
    olv_segment_begin(&f.segment);
    ok = f.sorter && collect(&f, err) && deliver_all(&f, err);
    olv_sorter_free(f.sorter);
    olv_segment_free(&f.segment);
    olv_text_free(&f.record);
    return ok;
}
