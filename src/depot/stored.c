/* SPDX-License-Identifier: Apache-2.0 */
/* What the catalogue knows: archives, their frames, and the files in them. */
#include "depot/catalogue_parts.h"
#include "olvido/path.h"

#include <stdio.h>
#include <string.h>

/* The check of what follows the frames. */
static bool read_end_check(struct olv_catalogue *c, int64_t archive, uint64_t *out, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    enum olv_truth found = database_find(&c->base, &s, "SELECT end_xxh3 FROM archive WHERE id = ?",
                                         VALUES(value_of(archive)), err);
    if (found == OLV_YES)
        *out = (uint64_t)sqlite3_column_int64(s, 0);
    if (found == OLV_NO)
        olv_fail(err, OLV_CHANGED, "the catalogue does not know its archive any more");
    sqlite3_finalize(s);
    return found == OLV_YES;
}

bool catalogue_frames(struct olv_catalogue *c, int64_t archive, struct frame_list *out, struct olv_error *err)
{
    static const char sql[] = "SELECT begins, length, plain, check_xxh3, packed_xxh3 FROM frame"
                              " WHERE archive = ? ORDER BY number";
    sqlite3_stmt *s = NULL;
    enum olv_truth row;
    bool ok = true;
    if (!read_end_check(c, archive, &out->end_check, err))
        return false;
    for (row = database_find(&c->base, &s, sql, VALUES(value_of(archive)), err); ok && row == OLV_YES;
         row = database_next(&c->base, s, err))
        ok = frame_list_add(out, (struct frame){(uint64_t)sqlite3_column_int64(s, 0),
                                                (uint32_t)sqlite3_column_int64(s, 1),
                                                (uint32_t)sqlite3_column_int64(s, 2),
                                                (uint64_t)sqlite3_column_int64(s, 3),
                                                (uint64_t)sqlite3_column_int64(s, 4)}) ||
             olv_fail_memory(err);
    sqlite3_finalize(s);
    return ok && row == OLV_NO;
}

/* A blob as a string: its bytes and a NUL, in `scratch`. */
static const char *bytes_of(sqlite3_stmt *s, int column, struct olv_text *scratch)
{
    olv_text_clear(scratch);
    olv_text_add(scratch, sqlite3_column_blob(s, column), (size_t)sqlite3_column_bytes(s, column));
    return olv_text_string(scratch);
}

static const char *text_of(sqlite3_stmt *s, int column)
{
    const char *text = (const char *)sqlite3_column_text(s, column);
    return text ? text : "";
}

static enum olv_codec codec_of(const char *word)
{
    enum olv_codec codec = olv_codec_of_word(word, strlen(word));
    return codec == OLV_CODEC_COUNT ? OLV_CODEC_NONE : codec;
}

/* An archive's own id: 16 bytes. */
static const uint8_t *id_of(sqlite3_stmt *s, int column)
{
    static const uint8_t none[ARCHIVE_ID];
    return sqlite3_column_bytes(s, column) == ARCHIVE_ID ? sqlite3_column_blob(s, column) : none;
}

/* SHA-256; NULL if there is none. */
static const uint8_t *digest_of(sqlite3_stmt *s, int column)
{
    return sqlite3_column_bytes(s, column) == OLV_SHA256_SIZE ? sqlite3_column_blob(s, column) : NULL;
}

#define OF_ARCHIVES                                                                                          \
    "SELECT a.id, d.name, d.path, a.name, a.run, a.rule, a.codec, a.made_s, a.made_ns, a.length,"            \
    " a.members, a.bytes, a.uid, a.manifest_sha256 FROM archive a JOIN depot d ON d.id = a.depot"            \
    " WHERE a.state = 1"

static bool each_archive(struct olv_catalogue *c, const char *sql,
                         bool (*each)(void *self, const struct olv_stored_archive *archive), void *self,
                         struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    struct olv_text path = {0}, name = {0};
    enum olv_truth row = database_find(&c->base, &s, sql, NULL, 0, err);
    while (row == OLV_YES &&
           each(self, &(struct olv_stored_archive){
                          .id = sqlite3_column_int64(s, 0),
                          .depot = text_of(s, 1),
                          .depot_path = bytes_of(s, 2, &path),
                          .name = bytes_of(s, 3, &name),
                          .run = text_of(s, 4),
                          .rule = text_of(s, 5),
                          .codec = codec_of(text_of(s, 6)),
                          .made = {sqlite3_column_int64(s, 7), (uint32_t)sqlite3_column_int64(s, 8)},
                          .length = (uint64_t)sqlite3_column_int64(s, 9),
                          .members = (uint64_t)sqlite3_column_int64(s, 10),
                          .bytes = (uint64_t)sqlite3_column_int64(s, 11),
                          .archive_id = id_of(s, 12),
                          .manifest = digest_of(s, 13)}))
        row = database_next(&c->base, s, err);
    sqlite3_finalize(s);
    olv_text_free(&path);
    olv_text_free(&name);
    return row != OLV_UNKNOWN;
}

enum olv_truth olv_catalogue_has_depot(struct olv_catalogue *c, const char *name, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    enum olv_truth found =
        database_find(&c->base, &s, "SELECT 1 FROM depot WHERE name = ?1", VALUES(value_text(name)), err);
    sqlite3_finalize(s);
    return found;
}

bool olv_catalogue_archives(struct olv_catalogue *c,
                            bool (*each)(void *self, const struct olv_stored_archive *archive), void *self,
                            struct olv_error *err)
{
    return each_archive(c, OF_ARCHIVES " ORDER BY d.name, a.name", each, self, err);
}

bool catalogue_unrecorded(struct olv_catalogue *c,
                          bool (*each)(void *self, const struct olv_stored_archive *archive), void *self,
                          struct olv_error *err)
{
    return each_archive(c, OF_ARCHIVES " AND a.is_recorded = 0 ORDER BY a.id", each, self, err);
}

enum { PATH, LINK, TWIN, DEPOT, ARCHIVE, WAS, TEXTS };

struct columns {
    const struct database *base;
    sqlite3_stmt *twin; /* finds the member that a hard link refers to */
    struct olv_text texts[TEXTS];
};

/* Directory, name and both together as in the catalogue: without the leading slash. */
struct inside {
    struct value directory, name, whole;
};

static struct inside inside_of(const char *path)
{
    const char *inside = path + strspn(path, "/");
    return (struct inside){value_bytes(inside, olv_path_directory_len(inside)),
                           value_string(olv_path_name(inside)), value_string(inside)};
}

/* A hard link's contents belong to another member; they are returned. */
static void read_twin(struct columns *t, struct olv_stored_file *f)
{
    static const char sql[] = "SELECT m.size, f.begins, m.at - f.at, m.digest, m.header FROM directory d"
                              " JOIN member m ON m.directory = d.id"
                              " JOIN frame f ON f.archive = m.archive AND f.number = m.frame"
                              " WHERE d.path = ?1 AND m.name = ?2 AND m.archive = ?3 AND m.kind > 0";
    struct inside at = inside_of(f->link);
    struct olv_error ignored = {0};
    olv_text_clear(&t->texts[TWIN]);
    olv_text_printf(&t->texts[TWIN], "/%s", f->link);
    if (database_find(t->base, &t->twin, sql, VALUES(at.directory, at.name, value_of(f->archive)),
                      &ignored) != OLV_YES)
        return;
    f->twin = olv_text_string(&t->texts[TWIN]);
    f->link = "";
    f->size_bytes = (uint64_t)sqlite3_column_int64(t->twin, 0);
    f->begins = (uint64_t)sqlite3_column_int64(t->twin, 1);
    f->within = (uint64_t)sqlite3_column_int64(t->twin, 2);
    f->digest = digest_of(t->twin, 3);
    f->header = digest_of(t->twin, 4);
}

static void stored_read_clock(sqlite3_stmt *s, struct olv_stored_file *f)
{
    const char *word = text_of(s, 24);
    for (int clock = 0; clock < OLV_CLOCK_COUNT; clock++)
        if (strcmp(word, olv_clock_word((enum olv_clock)clock)) == 0) {
            f->has_clock = true;
            f->clock = (enum olv_clock)clock;
            f->clock_time =
                (struct olv_instant){sqlite3_column_int64(s, 25), (uint32_t)sqlite3_column_int64(s, 26)};
        }
}

static void read_file(sqlite3_stmt *s, struct columns *t, struct olv_stored_file *f)
{
    int kind = sqlite3_column_int(s, 3);
    uint64_t at = (uint64_t)sqlite3_column_int64(s, 2);
    olv_text_clear(&t->texts[PATH]);
    olv_text_puts(&t->texts[PATH], "/");
    olv_text_add(&t->texts[PATH], sqlite3_column_blob(s, 0), (size_t)sqlite3_column_bytes(s, 0));
    if (sqlite3_column_bytes(s, 0))
        olv_text_puts(&t->texts[PATH], "/");
    olv_text_add(&t->texts[PATH], sqlite3_column_blob(s, 1), (size_t)sqlite3_column_bytes(s, 1));
    *f = (struct olv_stored_file){
        .path = olv_text_string(&t->texts[PATH]),
        .kind = (enum olv_kind)(kind < 0 ? -kind : kind),
        .size_bytes = (uint64_t)sqlite3_column_int64(s, 4),
        .modified = {sqlite3_column_int64(s, 5), (uint32_t)sqlite3_column_int64(s, 6)},
        .mode = (uint32_t)sqlite3_column_int64(s, 7),
        .owner = (uint32_t)sqlite3_column_int64(s, 8),
        .group = (uint32_t)sqlite3_column_int64(s, 9),
        .digest = digest_of(s, 10),
        .header = digest_of(s, 30),
        .link = bytes_of(s, 11, &t->texts[LINK]),
        .archive = sqlite3_column_int64(s, 12),
        .archive_name = bytes_of(s, 13, &t->texts[ARCHIVE]),
        .run = text_of(s, 14),
        .codec = codec_of(text_of(s, 15)),
        .archived = {sqlite3_column_int64(s, 16), (uint32_t)sqlite3_column_int64(s, 17)},
        .depot = text_of(s, 18),
        .depot_path = bytes_of(s, 19, &t->texts[DEPOT]),
        .begins = (uint64_t)sqlite3_column_int64(s, 20),
        .within = at - (uint64_t)sqlite3_column_int64(s, 21),
        .twin = "",
        .accessed = {sqlite3_column_int64(s, 22), (uint32_t)sqlite3_column_int64(s, 23)},
        .was = bytes_of(s, 27, &t->texts[WAS]),
        .was_bytes = (uint64_t)sqlite3_column_int64(s, 28),
        .archive_id = id_of(s, 29),
    };
    f->own_begins = f->begins;
    f->own_within = f->within;
    f->own_header = f->header;
    stored_read_clock(s, f);
    if (kind < 0)
        read_twin(t, f);
}

/* Which files to go through: those of an archive (0: all); at a path, or at it and below (NULL: any). */
struct wanted {
    enum olv_stored_order order;
    int64_t archive;
    const char *path, *top;
};

static const char *condition(const struct wanted *w)
{
    if (w->archive)
        return " WHERE a.state = 1 AND m.archive = ?1";
    if (w->path)
        return " WHERE a.state = 1 AND d.path = ?1 AND m.name = ?2";
    if (w->top) /* '0' comes right after '/' */
        return " WHERE a.state = 1 AND ((d.path = ?1 AND m.name = ?2) OR d.path = ?3"
               " OR (d.path > CAST(?3 || '/' AS BLOB) AND d.path < CAST(?3 || '0' AS BLOB)))";
    return " WHERE a.state = 1";
}

static bool each_file(struct olv_catalogue *c, const struct wanted *w,
                      bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                      struct olv_error *err)
{
    static const char columns[] =
        "SELECT d.path, m.name, m.at, m.kind, m.size, m.modified_s, m.modified_ns, m.mode, m.uid, m.gid, "
        "m.digest,"
        " m.link, a.id, a.name, a.run, a.codec, a.made_s, a.made_ns, p.name, p.path, f.begins, f.at,"
        " m.accessed_s, m.accessed_ns, m.clock, m.clock_s, m.clock_ns, m.was_name, m.was_size, a.uid, "
        "m.header"
        " FROM directory d JOIN member m ON m.directory = d.id JOIN archive a ON a.id = m.archive"
        " JOIN depot p ON p.id = a.depot JOIN frame f ON f.archive = m.archive AND f.number = m.frame";
    static const char *const orders[] = {[OLV_STORED_BY_PATH] = "d.path, m.name, a.made_s, a.made_ns",
                                         [OLV_STORED_BY_ARCHIVE] = "m.archive, m.at"};
    char sql[sizeof columns + 256];
    struct columns t = {.base = &c->base};
    struct inside at = inside_of(w->path ? w->path : w->top ? w->top : "");
    /* a directory, everything in it, and a file of that name */
    const struct value of_path[] = {at.directory, at.name, at.whole}, of_archive = value_of(w->archive);
    size_t count = w->archive ? 1 : w->path ? 2 : w->top ? 3 : 0;
    sqlite3_stmt *s = NULL;
    struct olv_stored_file file;
    enum olv_truth row;
    snprintf(sql, sizeof sql, "%s%s ORDER BY %s", columns, condition(w), orders[w->order]);
    for (row = database_find(&c->base, &s, sql, w->archive ? &of_archive : of_path, count, err);
         row == OLV_YES; row = database_next(&c->base, s, err)) {
        read_file(s, &t, &file);
        if (!each(self, &file))
            break;
    }
    sqlite3_finalize(s);
    sqlite3_finalize(t.twin);
    for (int i = 0; i < TEXTS; i++)
        olv_text_free(&t.texts[i]);
    return row != OLV_UNKNOWN;
}

bool olv_catalogue_files(struct olv_catalogue *c, enum olv_stored_order order,
                         bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                         struct olv_error *err)
{
    return each_file(c, &(struct wanted){.order = order}, each, self, err);
}

bool olv_catalogue_versions(struct olv_catalogue *c, const char *path,
                            bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                            struct olv_error *err)
{
    return each_file(c, &(struct wanted){.order = OLV_STORED_BY_PATH, .path = path}, each, self, err);
}

bool olv_catalogue_tree(struct olv_catalogue *c, const char *top,
                        bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                        struct olv_error *err)
{
    return each_file(c, &(struct wanted){.order = OLV_STORED_BY_PATH, .top = top}, each, self, err);
}

bool catalogue_each_made(struct olv_catalogue *c, int64_t row,
                         bool (*each)(void *self, const struct catalogue_made *member), void *self,
                         struct olv_error *err)
{
    static const char sql[] = "SELECT d.path, m.name, m.kind, m.size, m.modified_s, m.modified_ns, m.digest,"
                              " m.link FROM member m JOIN directory d ON d.id = m.directory"
                              " WHERE m.archive = ?1 ORDER BY m.at";
    struct olv_text directory = {0}, name = {0}, path = {0};
    sqlite3_stmt *s = NULL;
    enum olv_truth found;
    for (found = database_find(&c->base, &s, sql, VALUES(value_of(row)), err); found == OLV_YES;
         found = database_next(&c->base, s, err)) {
        struct catalogue_made m = {
            .kind = (enum olv_kind)sqlite3_column_int(s, 2),
            .size_bytes = (uint64_t)sqlite3_column_int64(s, 3),
            .modified = {sqlite3_column_int64(s, 4), (uint32_t)sqlite3_column_int64(s, 5)},
            .digest = digest_of(s, 6)};
        m.is_twin = m.kind == OLV_KIND_FILE && sqlite3_column_bytes(s, 7) > 0;
        olv_text_clear(&path);
        olv_text_puts(&path, "/");
        olv_path_add(&path, bytes_of(s, 0, &directory), bytes_of(s, 1, &name));
        m.path = path.data + (path.len > 1 && path.data[1] == '/');
        if (path.failed && !olv_fail_memory(err)) {
            found = OLV_UNKNOWN;
            break;
        }
        if (!each(self, &m))
            break;
    }
    sqlite3_finalize(s);
    olv_text_free(&directory);
    olv_text_free(&name);
    olv_text_free(&path);
    return found != OLV_UNKNOWN;
}

bool catalogue_each_member(struct olv_catalogue *c, int64_t archive,
                           bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                           struct olv_error *err)
{
    return each_file(c, &(struct wanted){.order = OLV_STORED_BY_ARCHIVE, .archive = archive}, each, self,
                     err);
}

#define KNOWN                                                                                                \
    "SELECT a.id, d.name, a.run, a.rule, a.codec, a.made_s, a.made_ns, a.manifest, a.uid, a.length,"         \
    " a.manifest_sha256 FROM archive a JOIN depot d ON d.id = a.depot"

static void read_known(sqlite3_stmt *s, struct catalogue_known *out)
{
    const uint8_t *manifest = digest_of(s, 10);
    out->row = sqlite3_column_int64(s, 0);
    memcpy(out->id, id_of(s, 8), ARCHIVE_ID);
    snprintf(out->depot, sizeof out->depot, "%s", text_of(s, 1));
    snprintf(out->run, sizeof out->run, "%s", text_of(s, 2));
    snprintf(out->rule, sizeof out->rule, "%s", text_of(s, 3));
    out->codec = codec_of(text_of(s, 4));
    out->made = (struct olv_instant){sqlite3_column_int64(s, 5), (uint32_t)sqlite3_column_int64(s, 6)};
    out->manifest_frame = (size_t)sqlite3_column_int64(s, 7);
    out->length = (uint64_t)sqlite3_column_int64(s, 9);
    out->has_manifest = manifest != NULL;
    if (manifest)
        memcpy(out->manifest, manifest, sizeof out->manifest);
}

static bool find_known(const struct olv_catalogue *c, const char *sql, const struct value *values,
                       size_t count, struct catalogue_known *out, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    enum olv_truth found = database_find(&c->base, &s, sql, values, count, err);
    *out = (struct catalogue_known){0};
    if (found == OLV_YES)
        read_known(s, out);
    sqlite3_finalize(s);
    return found != OLV_UNKNOWN;
}

bool catalogue_find_archive(struct olv_catalogue *c, const char *depot_path, const char *name,
                            struct catalogue_known *out, struct olv_error *err)
{
    return find_known(c, KNOWN " WHERE a.state = 1 AND d.path = ?1 AND a.name = ?2",
                      VALUES(value_string(depot_path), value_string(name)), out, err);
}

bool catalogue_find_row(struct olv_catalogue *c, int64_t row, struct catalogue_known *out,
                        struct olv_error *err)
{
    return find_known(c, KNOWN " WHERE a.id = ?1", VALUES(value_of(row)), out, err);
}

enum olv_truth catalogue_find_of_run(struct olv_catalogue *c, const char *path, const char *run,
                                     struct olv_text *out, struct olv_error *err)
{
    static const char sql[] = "SELECT p.path, a.name FROM directory d JOIN member m ON m.directory = d.id"
                              " JOIN archive a ON a.id = m.archive JOIN depot p ON p.id = a.depot"
                              " WHERE a.state = 1 AND d.path = ?1 AND m.name = ?2 AND a.run = ?3";
    struct inside at = inside_of(path);
    sqlite3_stmt *s = NULL;
    enum olv_truth found =
        database_find(&c->base, &s, sql, VALUES(at.directory, at.name, value_text(run)), err);
    if (found == OLV_YES) {
        olv_text_add(out, sqlite3_column_blob(s, 0), (size_t)sqlite3_column_bytes(s, 0));
        olv_text_puts(out, "/");
        olv_text_add(out, sqlite3_column_blob(s, 1), (size_t)sqlite3_column_bytes(s, 1));
        if (out->failed && !olv_fail_memory(err))
            found = OLV_UNKNOWN;
    }
    sqlite3_finalize(s);
    return found;
}

bool olv_catalogue_unfinished(struct olv_catalogue *c, enum olv_archive_state state,
                              bool (*each)(void *self, const struct olv_unfinished_archive *unfinished),
                              void *self, struct olv_error *err)
{
    static const char sql[] =
        "SELECT a.id, d.name, d.path, a.name, a.temporary, a.run, a.inode, a.born_s, a.born_ns,"
        " a.manner, a.length FROM archive a JOIN depot d ON d.id = a.depot WHERE a.state = ?1 ORDER BY a.id";
    struct olv_text path = {0}, name = {0}, temporary = {0};
    sqlite3_stmt *s = NULL;
    enum olv_truth row;
    for (row = database_find(&c->base, &s, sql, VALUES(value_of(state)), err); row == OLV_YES;
         row = database_next(&c->base, s, err)) {
        struct olv_unfinished_archive u = {.archive = sqlite3_column_int64(s, 0),
                                           .state = state,
                                           .depot = text_of(s, 1),
                                           .depot_path = bytes_of(s, 2, &path),
                                           .name = bytes_of(s, 3, &name),
                                           .temporary = bytes_of(s, 4, &temporary),
                                           .run = text_of(s, 5),
                                           .has_file = sqlite3_column_type(s, 6) != SQLITE_NULL,
                                           .inode = (uint64_t)sqlite3_column_int64(s, 6),
                                           .manner = sqlite3_column_blob(s, 9),
                                           .manner_len = (size_t)sqlite3_column_bytes(s, 9),
                                           .length = (uint64_t)sqlite3_column_int64(s, 10)};
        u.has_born = database_read_born(s, 7, &u.born);
        if (!each(self, &u))
            break;
    }
    sqlite3_finalize(s);
    olv_text_free(&path);
    olv_text_free(&name);
    olv_text_free(&temporary);
    return row != OLV_UNKNOWN;
}

bool catalogue_find_state(struct olv_catalogue *c, const uint8_t id[ARCHIVE_ID], enum olv_archive_state *out,
                          struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    enum olv_truth found = database_find(&c->base, &s, "SELECT state FROM archive WHERE uid = ?1",
                                         VALUES(value_bytes(id, ARCHIVE_ID)), err);
    if (found == OLV_YES)
        *out = (enum olv_archive_state)sqlite3_column_int(s, 0);
    sqlite3_finalize(s);
    return found == OLV_YES;
}
