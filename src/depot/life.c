/* SPDX-License-Identifier: Apache-2.0 */
/* Archives come into the catalogue and leave it: making, live, going. Members wait in memory until there are
 * many, and then come in with one transaction: none is open while files are read. */
#include "depot/catalogue_parts.h"
#include "olvido/path.h"

#include <stdlib.h>
#include <string.h>

enum { MOST_PENDING = 4096 };

/* A member with all that a row of it has; strings are the arena's. */
struct pending {
    struct made_member made;
    struct olv_member member;
};

static bool conflict(struct olv_catalogue *c, struct olv_error *err)
{
    if (sqlite3_errcode(c->base.db) != SQLITE_CONSTRAINT)
        return database_failed(&c->base, err, "cannot write it");
    return olv_fail(err, OLV_EXISTS, "the catalogue knows another archive of that name");
}

static void bind_bytes(sqlite3_stmt *s, int column, const char *string)
{
    sqlite3_bind_blob(s, column, string, (int)strlen(string), SQLITE_STATIC);
}

/* ---- making ---- */

struct beginning {
    struct olv_catalogue *catalogue;
    const struct catalogue_archive *archive;
    const char *temporary;
    int64_t row;
};

static bool put_depot(struct olv_catalogue *c, const struct catalogue_archive *a, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    bool ok = database_prepare(&c->base, &s,
                               "INSERT INTO depot (name, path) VALUES (?1, ?2)"
                               " ON CONFLICT (name) DO UPDATE SET path = ?2",
                               err);
    if (ok) {
        sqlite3_bind_text(s, 1, a->depot, -1, SQLITE_STATIC);
        bind_bytes(s, 2, a->depot_path);
        ok = database_step(&c->base, s, err);
    }
    sqlite3_finalize(s);
    return ok;
}

static bool insert_archive(void *self, struct olv_error *err)
{
    static const char sql[] =
        "INSERT INTO archive (state, uid, depot, name, temporary, run, rule, codec, made_s, made_ns, length,"
        " members, bytes, manifest, end_xxh3, is_recorded)"
        " VALUES (0, ?1, (SELECT id FROM depot WHERE name = ?2), ?3, ?3, ?4, ?5, ?6, ?7, ?8, 0, 0, 0, 0, 0, "
        "0)";
    struct beginning *b = self;
    const struct catalogue_archive *a = b->archive;
    struct olv_catalogue *c = b->catalogue;
    sqlite3_stmt *s = NULL;
    bool ok = put_depot(c, a, err) && database_prepare(&c->base, &s, sql, err);
    if (ok) {
        sqlite3_bind_blob(s, 1, a->id, ARCHIVE_ID, SQLITE_STATIC);
        sqlite3_bind_text(s, 2, a->depot, -1, SQLITE_STATIC);
        bind_bytes(s, 3, b->temporary);
        sqlite3_bind_text(s, 4, a->run, -1, SQLITE_STATIC);
        sqlite3_bind_text(s, 5, a->rule, -1, SQLITE_STATIC);
        sqlite3_bind_text(s, 6, olv_codec_word(a->codec), -1, SQLITE_STATIC);
        sqlite3_bind_int64(s, 7, a->made.s);
        sqlite3_bind_int64(s, 8, a->made.ns);
        ok = sqlite3_step(s) == SQLITE_DONE || conflict(c, err);
    }
    b->row = sqlite3_last_insert_rowid(c->base.db);
    sqlite3_finalize(s);
    return ok;
}

int64_t catalogue_make(struct olv_catalogue *c, const struct catalogue_archive *a, const char *temporary,
                       struct olv_error *err)
{
    struct beginning b = {c, a, temporary, 0};
    catalogue_drop_pending(c);
    return database_write(&c->base, insert_archive, &b, err) ? b.row : 0;
}

struct naming {
    struct olv_catalogue *catalogue;
    int64_t archive;
    const char *name;
    const struct olv_stat *file;
};

static bool name_archive(void *self, struct olv_error *err)
{
    static const char sql[] =
        "UPDATE archive SET name = ?1, inode = ?2, born_s = ?3, born_ns = ?4 WHERE id = ?5 AND state = 0";
    const struct naming *n = self;
    struct olv_catalogue *c = n->catalogue;
    sqlite3_stmt *s = NULL;
    bool ok = database_prepare(&c->base, &s, sql, err);
    if (ok) {
        bind_bytes(s, 1, n->name);
        database_bind_file(s, 2, n->file);
        sqlite3_bind_int64(s, 5, n->archive);
        ok = sqlite3_step(s) == SQLITE_DONE || conflict(c, err);
    }
    sqlite3_finalize(s);
    return ok;
}

bool catalogue_name(struct olv_catalogue *c, int64_t archive, const char *name, const struct olv_stat *file,
                    struct olv_error *err)
{
    struct naming n = {c, archive, name, file};
    return database_write(&c->base, name_archive, &n, err);
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
    struct olv_catalogue *catalogue;
    sqlite3_stmt *put, *put_directory, *find_directory;
    const char *directory; /* of the member put last, and its length */
    size_t directory_len;
    int64_t directory_id;
};

/* The number of a directory, which is mostly the same as for the member before. */
static bool life_know_directory(struct putting *p, const char *path, size_t len, struct olv_error *err)
{
    const struct database *base = &p->catalogue->base;
    bool is_found;
    if (p->directory && p->directory_len == len && memcmp(p->directory, path, len) == 0)
        return true;
    p->directory = path;
    p->directory_len = len;
    sqlite3_reset(p->find_directory);
    sqlite3_bind_blob(p->find_directory, 1, path, (int)len, SQLITE_STATIC);
    is_found = sqlite3_step(p->find_directory) == SQLITE_ROW;
    if (is_found)
        p->directory_id = sqlite3_column_int64(p->find_directory, 0);
    sqlite3_reset(p->find_directory);
    if (is_found)
        return true;
    sqlite3_reset(p->put_directory);
    sqlite3_bind_blob(p->put_directory, 1, path, (int)len, SQLITE_STATIC);
    if (!database_step(base, p->put_directory, err))
        return false;
    p->directory_id = sqlite3_last_insert_rowid(base->db);
    return true;
}

/* The time that its rule goes by, where that is none of those that an archive keeps anyway. */
static void bind_clock(sqlite3_stmt *s, const struct made_member *made)
{
    for (int i = 17; i <= 19; i++)
        sqlite3_bind_null(s, i);
    if (!made->has_clock)
        return;
    sqlite3_bind_text(s, 17, olv_clock_word(made->clock), -1, SQLITE_STATIC);
    sqlite3_bind_int64(s, 18, made->clock_time.s);
    sqlite3_bind_int64(s, 19, made->clock_time.ns);
}

static void bind_origin(sqlite3_stmt *s, const struct pending *p)
{
    sqlite3_bind_null(s, 20);
    sqlite3_bind_null(s, 21);
    if (!p->made.was)
        return;
    bind_bytes(s, 20, p->made.was);
    sqlite3_bind_int64(s, 21, (int64_t)p->made.was_bytes);
}

static bool put_one(struct putting *x, const struct pending *p, struct olv_error *err)
{
    const struct made_member *made = &p->made;
    const struct olv_member *m = &p->member;
    sqlite3_stmt *s = x->put;
    if (!life_know_directory(x, m->path, olv_path_directory_len(m->path), err))
        return false;
    sqlite3_reset(s);
    sqlite3_bind_int64(s, 1, x->directory_id);
    bind_bytes(s, 2, olv_path_name(m->path));
    sqlite3_bind_int64(s, 3, x->catalogue->pending_archive);
    sqlite3_bind_int64(s, 4, (int64_t)made->at);
    sqlite3_bind_int64(s, 5, (int64_t)made->frame);
    sqlite3_bind_int(s, 6, m->is_hard_link ? -(int)m->kind : (int)m->kind);
    sqlite3_bind_int64(s, 7, (int64_t)m->size_bytes);
    sqlite3_bind_int64(s, 8, m->modified.s);
    sqlite3_bind_int64(s, 9, m->modified.ns);
    sqlite3_bind_int64(s, 10, m->mode);
    sqlite3_bind_int64(s, 11, m->owner);
    sqlite3_bind_int64(s, 12, m->group);
    if (made->has_digest)
        sqlite3_bind_blob(s, 13, made->digest, OLV_SHA256_SIZE, SQLITE_STATIC);
    else
        sqlite3_bind_null(s, 13);
    bind_bytes(s, 14, m->link);
    sqlite3_bind_int64(s, 15, m->accessed.s);
    sqlite3_bind_int64(s, 16, m->accessed.ns);
    bind_clock(s, made);
    bind_origin(s, p);
    if (made->has_header)
        sqlite3_bind_blob(s, 22, made->header, OLV_SHA256_SIZE, SQLITE_STATIC);
    else
        sqlite3_bind_null(s, 22);
    return database_step(&x->catalogue->base, s, err);
}

static bool put_pending(void *self, struct olv_error *err)
{
    struct olv_catalogue *c = self;
    struct putting p = {.catalogue = c};
    bool ok =
        database_prepare(&c->base, &p.put,
                         "INSERT INTO member VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)", err) &&
        database_prepare(&c->base, &p.put_directory, "INSERT INTO directory (path) VALUES (?)", err) &&
        database_prepare(&c->base, &p.find_directory, "SELECT id FROM directory WHERE path = ?", err);
    for (size_t i = 0; ok && i < c->pending_count; i++)
        ok = put_one(&p, &c->pending[i], err);
    sqlite3_finalize(p.put);
    sqlite3_finalize(p.put_directory);
    sqlite3_finalize(p.find_directory);
    return ok;
}

bool catalogue_flush(struct olv_catalogue *c, struct olv_error *err)
{
    bool ok = c->pending_count == 0 || database_write(&c->base, put_pending, c, err);
    c->pending_count = 0;
    olv_arena_free(&c->arena);
    return ok;
}

struct heading {
    struct olv_catalogue *catalogue;
    int64_t archive;
    const struct catalogue_header *headers;
    size_t count;
};

static bool put_headers(void *self, struct olv_error *err)
{
    const struct heading *h = self;
    const struct database *base = &h->catalogue->base;
    sqlite3_stmt *s = NULL;
    bool ok = database_prepare(base, &s, "UPDATE member SET header = ?1 WHERE archive = ?2 AND at = ?3", err);
    for (size_t i = 0; ok && i < h->count; i++) {
        sqlite3_reset(s);
        sqlite3_bind_blob(s, 1, h->headers[i].header, OLV_SHA256_SIZE, SQLITE_STATIC);
        sqlite3_bind_int64(s, 2, h->archive);
        sqlite3_bind_int64(s, 3, (int64_t)h->headers[i].at);
        ok = database_step(base, s, err);
    }
    sqlite3_finalize(s);
    return ok;
}

bool catalogue_put_headers(struct olv_catalogue *c, int64_t archive, const struct catalogue_header *headers,
                           size_t count, struct olv_error *err)
{
    struct heading h = {c, archive, headers, count};
    return catalogue_flush(c, err) && (count == 0 || database_write(&c->base, put_headers, &h, err));
}

/* ---- live, going, gone ---- */

struct flipping {
    struct olv_catalogue *catalogue;
    int64_t archive;
    const struct catalogue_archive *facts;
    const struct frame_list *frames;
    const struct catalogue_replaced *replaced; /* goes; NULL: none */
    int64_t adopted;                           /* is forgotten; 0: none */
};

/* Every statement that takes no more than one number, mostly that of an archive. */
static bool change(struct olv_catalogue *c, const char *sql, int64_t number, int *changes,
                   struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    bool ok = database_prepare(&c->base, &s, sql, err);
    if (ok) {
        sqlite3_bind_int64(s, 1, number);
        ok = database_step(&c->base, s, err);
    }
    *changes = sqlite3_changes(c->base.db);
    sqlite3_finalize(s);
    return ok;
}

static bool life_forget(struct olv_catalogue *c, int64_t archive, struct olv_error *err)
{
    int changes;
    return change(c, "DELETE FROM member WHERE archive = ?1", archive, &changes, err) &&
           change(c, "DELETE FROM frame WHERE archive = ?1", archive, &changes, err) &&
           change(c, "DELETE FROM archive WHERE id = ?1", archive, &changes, err);
}

static bool let_go(struct olv_catalogue *c, const struct catalogue_replaced *r, struct olv_error *err)
{
    static const char sql[] =
        "UPDATE archive SET state = 2, inode = ?2, born_s = ?3, born_ns = ?4 WHERE id = ?1 AND state = 1";
    sqlite3_stmt *s = NULL;
    bool ok = database_prepare(&c->base, &s, sql, err);
    if (ok) {
        sqlite3_bind_int64(s, 1, r->archive);
        database_bind_file(s, 2, &r->file);
        ok = database_step(&c->base, s, err);
    }
    sqlite3_finalize(s);
    return ok && (sqlite3_changes(c->base.db) == 1 ||
                  olv_fail(err, OLV_CHANGED, "the catalogue does not know its archive any more"));
}

static bool put_frames(const struct flipping *f, struct olv_error *err)
{
    struct olv_catalogue *c = f->catalogue;
    sqlite3_stmt *s = NULL;
    uint64_t at = 0;
    bool ok = database_prepare(&c->base, &s, "INSERT INTO frame VALUES (?,?,?,?,?,?,?,?)", err);
    for (size_t i = 0; ok && i < f->frames->count; i++) {
        const struct frame *frame = &f->frames->items[i];
        sqlite3_reset(s);
        sqlite3_bind_int64(s, 1, f->archive);
        sqlite3_bind_int64(s, 2, (int64_t)i);
        sqlite3_bind_int64(s, 3, (int64_t)frame->at);
        sqlite3_bind_int64(s, 4, frame->length);
        sqlite3_bind_int64(s, 5, frame->plain_length);
        sqlite3_bind_int64(s, 6, (int64_t)frame->check);
        sqlite3_bind_int64(s, 7, (int64_t)at);
        sqlite3_bind_int64(s, 8, (int64_t)frame->packed_check);
        at += frame->plain_length;
        ok = database_step(&c->base, s, err);
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
    struct olv_catalogue *c = f->catalogue;
    sqlite3_stmt *s = NULL;
    bool ok = database_prepare(&c->base, &s, sql, err);
    if (ok) {
        sqlite3_bind_int64(s, 1, f->archive);
        bind_bytes(s, 2, a->name);
        sqlite3_bind_int64(s, 3, (int64_t)a->length);
        sqlite3_bind_int64(s, 4, (int64_t)a->members);
        sqlite3_bind_int64(s, 5, (int64_t)a->bytes);
        sqlite3_bind_int64(s, 6, (int64_t)a->manifest_frame);
        sqlite3_bind_int64(s, 7, (int64_t)f->frames->end_check);
        sqlite3_bind_blob(s, 8, a->id, ARCHIVE_ID, SQLITE_STATIC);
        sqlite3_bind_text(s, 9, a->run, -1, SQLITE_STATIC);
        sqlite3_bind_text(s, 10, a->rule, -1, SQLITE_STATIC);
        sqlite3_bind_int64(s, 11, a->made.s);
        sqlite3_bind_int64(s, 12, a->made.ns);
        sqlite3_bind_blob(s, 13, a->manifest, sizeof a->manifest, SQLITE_STATIC);
        sqlite3_bind_int(s, 14, a->is_recorded);
        ok = sqlite3_step(s) == SQLITE_DONE || conflict(c, err);
    }
    ok = ok && (sqlite3_changes(c->base.db) == 1 ||
                olv_fail(err, OLV_CHANGED, "the catalogue does not know the archive that is being made"));
    sqlite3_finalize(s);
    return ok;
}

static bool flip(void *self, struct olv_error *err)
{
    const struct flipping *f = self;
    struct olv_catalogue *c = f->catalogue;
    if ((f->replaced && !let_go(c, f->replaced, err)) || (f->adopted && !life_forget(c, f->adopted, err)))
        return false;
    return put_frames(f, err) && make_live(f, err);
}

bool catalogue_publish(struct olv_catalogue *c, int64_t archive, const struct catalogue_archive *facts,
                       const struct frame_list *frames, const struct catalogue_replaced *replaced,
                       struct olv_error *err)
{
    struct flipping f = {c, archive, facts, frames, replaced, 0};
    return catalogue_flush(c, err) && database_write(&c->base, flip, &f, err);
}

bool catalogue_adopt(struct olv_catalogue *c, int64_t archive, const struct catalogue_archive *facts,
                     const struct frame_list *frames, int64_t replaced, struct olv_error *err)
{
    struct flipping f = {c, archive, facts, frames, NULL, replaced};
    return catalogue_flush(c, err) && database_write(&c->base, flip, &f, err);
}

static bool flip_going(void *self, struct olv_error *err)
{
    const struct flipping *f = self;
    return let_go(f->catalogue, f->replaced, err);
}

bool catalogue_let_go(struct olv_catalogue *c, const struct catalogue_replaced *replaced,
                      struct olv_error *err)
{
    struct flipping f = {.catalogue = c, .replaced = replaced};
    return database_write(&c->base, flip_going, &f, err);
}

static bool forget_it(void *self, struct olv_error *err)
{
    const struct flipping *f = self;
    return life_forget(f->catalogue, f->archive, err);
}

bool catalogue_forget(struct olv_catalogue *c, int64_t archive, struct olv_error *err)
{
    struct flipping f = {.catalogue = c, .archive = archive};
    catalogue_drop_pending(c);
    return database_write(&c->base, forget_it, &f, err);
}

static bool note_recorded(void *self, struct olv_error *err)
{
    struct olv_catalogue *c = self;
    int changes;
    return change(c, "UPDATE archive SET is_recorded = 1 WHERE is_recorded = 0 AND state = ?1",
                  OLV_ARCHIVE_LIVE, &changes, err);
}

bool catalogue_note_recorded(struct olv_catalogue *c, struct olv_error *err)
{
    return database_write(&c->base, note_recorded, c, err);
}
