/* SPDX-License-Identifier: Apache-2.0 */
/* Archives enter and leave the catalogue: making, live, going. Members wait in memory until there are many,
 * and are then inserted in one transaction: none is open while files are read. */
#include "depot/catalogue_parts.h"
#include "olvido/path.h"

#include <stdlib.h>
#include <string.h>

enum { MOST_PENDING = 4096 };

/* A member with everything for its row; strings are in the arena. */
struct pending {
    struct made_member made;
    struct olv_member member;
};

/* A statement failed, perhaps because another archive has the name. Returns false. */
static bool conflict(const struct olv_catalogue *c, struct olv_error *err)
{
    if (sqlite3_errcode(c->base.db) == SQLITE_CONSTRAINT)
        olv_fail(err, OLV_EXISTS, "the catalogue knows another archive of that name");
    return false;
}

/* ---- making ---- */

static bool put_archive(const struct olv_catalogue *c, const struct catalogue_archive *a,
                        const char *temporary, struct olv_error *err)
{
    static const char sql[] =
        "INSERT INTO archive (state, uid, depot, name, temporary, run, rule, codec, made_s, made_ns, length,"
        " members, bytes, manifest, end_xxh3, is_recorded)"
        " VALUES (0, ?1, (SELECT id FROM depot WHERE name = ?2), ?3, ?3, ?4, ?5, ?6, ?7, ?8, 0, 0, 0, 0, 0, "
        "0)";
    return database_do(&c->base, sql,
                       VALUES(value_bytes(a->id, ARCHIVE_ID), value_text(a->depot), value_string(temporary),
                              value_text(a->run), value_text(a->rule), value_text(olv_codec_word(a->codec)),
                              value_of(a->made.s), value_of(a->made.ns)),
                       err) ||
           conflict(c, err);
}

int64_t catalogue_make(struct olv_catalogue *c, const struct catalogue_archive *a, const char *temporary,
                       struct olv_error *err)
{
    static const char put_depot[] = "INSERT INTO depot (name, path) VALUES (?1, ?2)"
                                    " ON CONFLICT (name) DO UPDATE SET path = ?2";
    int64_t row;
    bool ok;
    catalogue_drop_pending(c);
    do {
        ok = database_begin(&c->base, err) &&
             database_do(&c->base, put_depot, VALUES(value_text(a->depot), value_string(a->depot_path)),
                         err) &&
             put_archive(c, a, temporary, err);
        row = sqlite3_last_insert_rowid(c->base.db);
    } while (database_again(&c->base, &ok, err));
    return ok ? row : 0;
}

bool catalogue_name(struct olv_catalogue *c, int64_t archive, const char *name, const struct olv_stat *file,
                    struct olv_error *err)
{
    static const char sql[] =
        "UPDATE archive SET name = ?1, inode = ?2, born_s = ?3, born_ns = ?4 WHERE id = ?5 AND state = 0";
    bool ok;
    do
        ok = database_begin(&c->base, err) &&
             (database_do(&c->base, sql, VALUES(value_string(name), VALUES_OF_FILE(file), value_of(archive)),
                          err) ||
              conflict(c, err));
    while (database_again(&c->base, &ok, err));
    return ok;
}

/* ---- members ---- */

void catalogue_drop_pending(struct olv_catalogue *c)
{
    free(c->pending);
    c->pending = NULL;
    c->pending_count = 0;
    olv_arena_free(&c->arena);
}

static const char *keep(struct olv_catalogue *c, const char *string)
{
    return olv_arena_copy(&c->arena, string, strlen(string));
}

bool catalogue_put_member(struct olv_catalogue *c, int64_t archive, const struct made_member *made,
                          struct olv_error *err)
{
    struct pending *p;
    if ((c->pending_count == MOST_PENDING || c->pending_archive != archive) && !catalogue_flush(c, err))
        return false;
    if (!c->pending && !(c->pending = calloc(MOST_PENDING, sizeof *c->pending)))
        return olv_fail_memory(err);
    c->pending_archive = archive;
    p = &c->pending[c->pending_count];
    *p = (struct pending){.made = *made, .member = *made->member};
    p->member.path = keep(c, made->member->path);
    p->member.link = keep(c, made->member->link);
    if (made->was)
        p->made.was = keep(c, made->was);
    if (!p->member.path || !p->member.link || (made->was && !p->made.was))
        return olv_fail_memory(err);
    c->pending_count++;
    return true;
}

struct putting {
    const struct olv_catalogue *catalogue;
    sqlite3_stmt *put, *put_directory, *find_directory;
    const char *directory; /* of the last member, and its length */
    size_t directory_len;
    int64_t directory_id;
};

/* The number of a directory, usually the same as the previous member's. */
static bool life_know_directory(struct putting *p, const char *path, size_t len, struct olv_error *err)
{
    const struct database *base = &p->catalogue->base;
    enum olv_truth found;
    if (p->directory && p->directory_len == len && memcmp(p->directory, path, len) == 0)
        return true;
    p->directory = path;
    p->directory_len = len;
    found = database_find(base, &p->find_directory, "SELECT id FROM directory WHERE path = ?",
                          VALUES(value_bytes(path, len)), err);
    if (found == OLV_YES)
        p->directory_id = sqlite3_column_int64(p->find_directory, 0);
    sqlite3_reset(p->find_directory);
    if (found != OLV_NO)
        return found == OLV_YES;
    if (!database_put(base, &p->put_directory, "INSERT INTO directory (path) VALUES (?)",
                      VALUES(value_bytes(path, len)), err))
        return false;
    p->directory_id = sqlite3_last_insert_rowid(base->db);
    return true;
}

static bool put_one(struct putting *x, const struct pending *p, struct olv_error *err)
{
    static const char sql[] = "INSERT INTO member VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)";
    const struct made_member *made = &p->made;
    const struct olv_member *m = &p->member;
    return life_know_directory(x, m->path, olv_path_directory_len(m->path), err) &&
           database_put(&x->catalogue->base, &x->put, sql,
                        VALUES(value_of(x->directory_id), value_string(olv_path_name(m->path)),
                               value_of(x->catalogue->pending_archive), value_of((int64_t)made->at),
                               value_of((int64_t)made->frame),
                               value_of(m->is_hard_link ? -(int)m->kind : (int)m->kind),
                               value_of((int64_t)m->size_bytes), value_of(m->modified.s),
                               value_of(m->modified.ns), value_of(m->mode), value_of(m->owner),
                               value_of(m->group),
                               value_bytes(made->has_digest ? made->digest : NULL, OLV_SHA256_SIZE),
                               value_string(m->link), value_of(m->accessed.s), value_of(m->accessed.ns),
                               /* its rule's time, if archives do not keep that anyway */
                               value_text(made->has_clock ? olv_clock_word(made->clock) : NULL),
                               value_if(made->has_clock, made->clock_time.s),
                               value_if(made->has_clock, made->clock_time.ns), value_string(made->was),
                               value_if(made->was, (int64_t)made->was_bytes),
                               value_bytes(made->has_header ? made->header : NULL, OLV_SHA256_SIZE)),
                        err);
}

static bool put_pending(const struct olv_catalogue *c, struct olv_error *err)
{
    struct putting p = {.catalogue = c};
    bool ok = true;
    for (size_t i = 0; ok && i < c->pending_count; i++)
        ok = put_one(&p, &c->pending[i], err);
    sqlite3_finalize(p.put);
    sqlite3_finalize(p.put_directory);
    sqlite3_finalize(p.find_directory);
    return ok;
}

bool catalogue_flush(struct olv_catalogue *c, struct olv_error *err)
{
    bool ok = true;
    if (c->pending_count)
        do
            ok = database_begin(&c->base, err) && put_pending(c, err);
        while (database_again(&c->base, &ok, err));
    c->pending_count = 0;
    olv_arena_free(&c->arena);
    return ok;
}

static bool put_headers(const struct database *base, int64_t archive, const struct catalogue_header *headers,
                        size_t count, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    bool ok = true;
    for (size_t i = 0; ok && i < count; i++)
        ok = database_put(base, &s, "UPDATE member SET header = ?1 WHERE archive = ?2 AND at = ?3",
                          VALUES(value_bytes(headers[i].header, OLV_SHA256_SIZE), value_of(archive),
                                 value_of((int64_t)headers[i].at)),
                          err);
    sqlite3_finalize(s);
    return ok;
}

bool catalogue_put_headers(struct olv_catalogue *c, int64_t archive, const struct catalogue_header *headers,
                           size_t count, struct olv_error *err)
{
    bool ok = catalogue_flush(c, err);
    if (!ok || !count)
        return ok;
    do
        ok = database_begin(&c->base, err) && put_headers(&c->base, archive, headers, count, err);
    while (database_again(&c->base, &ok, err));
    return ok;
}

/* ---- live, going, gone ---- */

struct flipping {
    struct olv_catalogue *catalogue;
    int64_t archive;
    const struct catalogue_archive *facts;
    const struct frame_list *frames;
};

static bool life_forget(const struct database *base, int64_t archive, struct olv_error *err)
{
    return database_do(base, "DELETE FROM member WHERE archive = ?1", VALUES(value_of(archive)), err) &&
           database_do(base, "DELETE FROM frame WHERE archive = ?1", VALUES(value_of(archive)), err) &&
           database_do(base, "DELETE FROM archive WHERE id = ?1", VALUES(value_of(archive)), err);
}

static bool let_go(const struct database *base, const struct catalogue_replaced *r, struct olv_error *err)
{
    static const char sql[] =
        "UPDATE archive SET state = 2, inode = ?2, born_s = ?3, born_ns = ?4, manner = ?5"
        " WHERE id = ?1 AND state = 1";
    return database_do(base, sql,
                       VALUES(value_of(r->archive), VALUES_OF_FILE(&r->file),
                              value_bytes(r->manner.data, r->manner.len)),
                       err) &&
           (sqlite3_changes(base->db) == 1 ||
            olv_fail(err, OLV_CHANGED, "the catalogue does not know its archive any more"));
}

static bool put_frames(const struct flipping *f, struct olv_error *err)
{
    struct olv_catalogue *c = f->catalogue;
    sqlite3_stmt *s = NULL;
    uint64_t at = 0;
    bool ok = true;
    for (size_t i = 0; ok && i < f->frames->count; i++) {
        const struct frame *frame = &f->frames->items[i];
        ok = database_put(&c->base, &s, "INSERT INTO frame VALUES (?,?,?,?,?,?,?,?)",
                          VALUES(value_of(f->archive), value_of((int64_t)i), value_of((int64_t)frame->at),
                                 value_of(frame->length), value_of(frame->plain_length),
                                 value_of((int64_t)frame->check), value_of((int64_t)at),
                                 value_of((int64_t)frame->packed_check)),
                          err);
        at += frame->plain_length;
    }
    sqlite3_finalize(s);
    return ok;
}

static bool make_live(const struct flipping *f, struct olv_error *err)
{
    static const char sql[] =
        "UPDATE archive SET state = 1, name = ?2, length = ?3, members = ?4, bytes = ?5, manifest = ?6,"
        " end_xxh3 = ?7, uid = ?8, run = ?9, rule = ?10, made_s = ?11, made_ns = ?12, temporary = x'',"
        " inode = NULL, born_s = NULL, born_ns = NULL, manifest_sha256 = ?13, is_recorded = ?14"
        " WHERE id = ?1 AND state = 0";
    const struct catalogue_archive *a = f->facts;
    const struct olv_catalogue *c = f->catalogue;
    if (!database_do(&c->base, sql,
                     VALUES(value_of(f->archive), value_string(a->name), value_of((int64_t)a->length),
                            value_of((int64_t)a->members), value_of((int64_t)a->bytes),
                            value_of((int64_t)a->manifest_frame), value_of((int64_t)f->frames->end_check),
                            value_bytes(a->id, ARCHIVE_ID), value_text(a->run), value_text(a->rule),
                            value_of(a->made.s), value_of(a->made.ns),
                            value_bytes(a->manifest, sizeof a->manifest), value_of(a->is_recorded)),
                     err))
        return conflict(c, err);
    return sqlite3_changes(c->base.db) == 1 ||
           olv_fail(err, OLV_CHANGED, "the catalogue does not know the archive that is being made");
}

/* With `replaced`, that one becomes going; `adopted`, if any, is deleted. */
static bool flip(struct olv_catalogue *c, const struct flipping *f, const struct catalogue_replaced *replaced,
                 int64_t adopted, struct olv_error *err)
{
    bool ok = catalogue_flush(c, err);
    if (!ok)
        return false;
    do
        ok = database_begin(&c->base, err) && (!replaced || let_go(&c->base, replaced, err)) &&
             (!adopted || life_forget(&c->base, adopted, err)) && put_frames(f, err) && make_live(f, err);
    while (database_again(&c->base, &ok, err));
    return ok;
}

bool catalogue_publish(struct olv_catalogue *c, int64_t archive, const struct catalogue_archive *facts,
                       const struct frame_list *frames, const struct catalogue_replaced *replaced,
                       struct olv_error *err)
{
    return flip(c, &(struct flipping){c, archive, facts, frames}, replaced, 0, err);
}

bool catalogue_adopt(struct olv_catalogue *c, int64_t archive, const struct catalogue_archive *facts,
                     const struct frame_list *frames, int64_t replaced, struct olv_error *err)
{
    return flip(c, &(struct flipping){c, archive, facts, frames}, NULL, replaced, err);
}

bool catalogue_let_go(struct olv_catalogue *c, const struct catalogue_replaced *replaced,
                      struct olv_error *err)
{
    bool ok;
    do
        ok = database_begin(&c->base, err) && let_go(&c->base, replaced, err);
    while (database_again(&c->base, &ok, err));
    return ok;
}

bool catalogue_forget(struct olv_catalogue *c, int64_t archive, struct olv_error *err)
{
    bool ok;
    catalogue_drop_pending(c);
    do
        ok = database_begin(&c->base, err) && life_forget(&c->base, archive, err);
    while (database_again(&c->base, &ok, err));
    return ok;
}

bool catalogue_note_recorded(struct olv_catalogue *c, struct olv_error *err)
{
    return database_commit(&c->base,
                           "UPDATE archive SET is_recorded = 1 WHERE is_recorded = 0 AND state = ?1",
                           VALUES(value_of(OLV_ARCHIVE_LIVE)), err);
}
