/* SPDX-License-Identifier: Apache-2.0 */
/* A row is found by the file's inode and birth time, or by its path. Of one path there may be several: names
 * go on to the next file (a log that is rotated), and the former one goes on elsewhere. A row goes when
 * neither has led to its file for long: a disk that is away comes back. */
#include "base/grow.h"
#include "os/os.h"
#include "state/register_parts.h"

#include <errno.h>
#include <string.h>

enum { MISSING_S = 90 * 86400, MOVED_MOST = 4096 };

struct olv_had olv_had_of(const char *path, const struct olv_stat *stat, const struct olv_act *act)
{
    return (struct olv_had){.path = path,
                            .inode = stat->inode,
                            .has_born = stat->has_born,
                            .born = stat->born,
                            .size_bytes = stat->size_bytes,
                            .modified = stat->modified,
                            .act = act};
}

#define VALUES_OF_CONTENTS(h)                                                                                \
    value_of((int64_t)(h)->size_bytes), value_of((h)->modified.s), value_of((h)->modified.ns)

/* ---- noting ---- */

static const struct olv_had *copy_had(struct olv_register *r, const struct olv_had *had)
{
    struct olv_had *copy = olv_arena_alloc(&r->strings, sizeof *copy);
    if (!copy)
        return NULL;
    *copy = *had;
    copy->path = olv_arena_copy(&r->strings, had->path, strlen(had->path));
    return copy->path ? copy : NULL;
}

bool had_note(struct olv_register *r, const struct olv_had *had, struct olv_error *err)
{
    const struct olv_had *copy = copy_had(r, had), *former = had->former ? copy_had(r, had->former) : NULL;
    if (!copy || (had->former && !former) || !grow(&r->had, r->had_count, &r->had_cap, sizeof *r->had))
        return olv_fail_memory(err);
    r->had[r->had_count] = *copy;
    r->had[r->had_count++].former = former;
    return true;
}

/* What the former file has had, the new one has; the former one may lie elsewhere by now, with another at its
 * path. */
static bool put_along(struct olv_register *r, sqlite3_stmt **s, const struct olv_had *h,
                      struct olv_error *err)
{
    static const char sql[] =
        "UPDATE OR REPLACE had SET path = ?1, inode = ?2, born_s = ?3, born_ns = ?4, size = ?5,"
        " modified_s = ?6, modified_ns = ?7, missing = NULL WHERE path = ?8 AND"
        " (inode = ?9 AND born_s IS ?10 AND born_ns IS ?11"
        " OR size = ?12 AND modified_s = ?13 AND modified_ns = ?14)";
    return !h->former || database_put(&r->base, s, sql,
                                      VALUES(value_string(h->path), VALUES_OF_FILE(h), VALUES_OF_CONTENTS(h),
                                             value_string(h->former->path), VALUES_OF_FILE(h->former),
                                             VALUES_OF_CONTENTS(h->former)),
                                      err);
}

bool had_put_all(struct olv_register *r, struct olv_instant now, struct olv_error *err)
{
    sqlite3_stmt *s = NULL, *along = NULL;
    bool ok = true;
    for (size_t i = 0; ok && i < r->had_count; i++) {
        const struct olv_had *h = &r->had[i];
        ok = put_along(r, &along, h, err);
        if (!ok || !h->act)
            continue;
        ok = database_put(&r->base, &s, "INSERT OR REPLACE INTO had VALUES (?,?,?,?,?,?,?,?,?,?,?,NULL)",
                          VALUES(value_string(h->path), value_text(h->act->word), VALUES_OF_FILE(h),
                                 VALUES_OF_CONTENTS(h), value_bytes(h->arguments, sizeof h->arguments),
                                 value_bytes(h->before, h->before_len), value_of(now.s)),
                          err);
        r->has_had = OLV_YES;
    }
    sqlite3_finalize(s);
    sqlite3_finalize(along);
    return ok;
}

/* ---- asking ---- */

#define FACTS "inode, born_s, born_ns, size, modified_s, modified_ns, arguments, before, path"
enum { FACTS_INODE, FACTS_PATH = 8, FACTS_ACT };

static void read_bytes(sqlite3_stmt *s, int column, uint8_t *out, size_t *len, size_t most)
{
    int is = sqlite3_column_bytes(s, column);
    *len = is > 0 && (size_t)is <= most ? (size_t)is : 0;
    if (*len)
        memcpy(out, sqlite3_column_blob(s, column), *len);
}

static void read_had(sqlite3_stmt *s, struct olv_had *out)
{
    size_t ignored;
    out->inode = (uint64_t)sqlite3_column_int64(s, 0);
    out->has_born = database_read_born(s, 1, &out->born);
    out->size_bytes = (uint64_t)sqlite3_column_int64(s, 3);
    out->modified.s = sqlite3_column_int64(s, 4);
    out->modified.ns = (uint32_t)sqlite3_column_int64(s, 5);
    read_bytes(s, 6, out->arguments, &ignored, sizeof out->arguments);
    read_bytes(s, 7, out->before, &out->before_len, sizeof out->before);
}

static void read_path(sqlite3_stmt *s, struct olv_text *out)
{
    olv_text_clear(out);
    olv_text_add(out, sqlite3_column_blob(s, FACTS_PATH), (size_t)sqlite3_column_bytes(s, FACTS_PATH));
}

static bool is_same_time(struct olv_instant a, struct olv_instant b)
{
    return olv_instant_compare(a, b) == 0;
}

static bool is_same_inode(const struct olv_had *a, const struct olv_had *b)
{
    return a->inode == b->inode && a->has_born && b->has_born && is_same_time(a->born, b->born);
}

static bool has_same_contents(const struct olv_had *a, const struct olv_had *b)
{
    return a->size_bytes == b->size_bytes && is_same_time(a->modified, b->modified);
}

/* What does not lie at `path` any more is noted where it was found; with more of them than that, the next run
 * notes the rest. */
static bool follow(struct olv_register *r, const char *path, const struct olv_had *wanted,
                   const struct olv_had *found, struct olv_error *err)
{
    struct olv_stat stat;
    struct olv_had former = *found, now = *found, there;
    if (strcmp(path, wanted->path) == 0 || r->had_count >= MOVED_MOST)
        return true;
    if (olv_os_stat_path(path, &stat)) {
        there = olv_had_of(path, &stat, NULL);
        if (is_same_inode(&there, found))
            return true; /* another name of it */
    } else if (!olv_os_is_absent(errno))
        return true;
    former.path = path;
    now.path = wanted->path;
    now.former = &former;
    now.act = NULL;
    return had_note(r, &now, err);
}

enum olv_truth had_any(struct olv_register *r, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    if (r->has_had == OLV_UNKNOWN)
        r->has_had = database_find(&r->base, &s, "SELECT arguments FROM had LIMIT 1", NULL, 0, err);
    sqlite3_finalize(s);
    return r->has_had;
}

struct finding {
    const struct olv_had *wanted;
    bool (*is_it)(const struct olv_had *a, const struct olv_had *b);
    struct olv_had *found;
    struct olv_text path; /* of the row; to be freed */
};

/* Of several rows (hard links) the one of this path, or else any. */
static enum olv_truth find_row(struct finding *f, const struct database *base, sqlite3_stmt **s,
                               const char *sql, struct value by, struct olv_error *err)
{
    enum olv_truth row = database_find(base, s, sql, VALUES(by, value_text(f->wanted->act->word)), err);
    enum olv_truth is_there = OLV_NO;
    bool is_this = false;
    for (; row == OLV_YES && !is_this; row = database_next(base, *s, err)) {
        struct olv_had had = {.path = "", .act = f->wanted->act};
        read_had(*s, &had);
        if (!f->is_it(f->wanted, &had))
            continue;
        is_there = OLV_YES;
        *f->found = had;
        read_path(*s, &f->path);
        is_this = strcmp(olv_text_string(&f->path), f->wanted->path) == 0;
    }
    sqlite3_reset(*s);
    return row == OLV_UNKNOWN ? OLV_UNKNOWN : is_there;
}

enum olv_truth olv_register_find_had(struct olv_register *r, const struct olv_had *wanted,
                                     struct olv_had *found, struct olv_error *err)
{
    static const char file[] = "SELECT " FACTS " FROM had WHERE inode = ?1 AND act = ?2",
                      name[] = "SELECT " FACTS " FROM had WHERE path = ?1 AND act = ?2";
    struct finding f = {.wanted = wanted, .is_it = is_same_inode, .found = found};
    enum olv_truth is_there = had_any(r, err);
    if (is_there != OLV_YES)
        return is_there;
    is_there = find_row(&f, &r->base, &r->find_had_file, file, value_of((int64_t)wanted->inode), err);
    if (is_there == OLV_YES &&
        (f.path.failed ? !olv_fail_memory(err) : !follow(r, olv_text_string(&f.path), wanted, found, err)))
        is_there = OLV_UNKNOWN;
    f.is_it = has_same_contents;
    if (is_there == OLV_NO)
        is_there = find_row(&f, &r->base, &r->find_had, name, value_string(wanted->path), err);
    olv_text_free(&f.path);
    return is_there;
}

/* ---- tidying ---- */

/* What cannot be looked at is not missing. */
static bool leads_nowhere(const char *path, const struct olv_had *had)
{
    struct olv_stat stat;
    struct olv_had there;
    if (!olv_os_stat_path(path, &stat))
        return olv_os_is_absent(errno);
    there = olv_had_of(path, &stat, NULL);
    there.has_born &= had->has_born;
    return there.has_born ? !is_same_inode(&there, had) && !has_same_contents(&there, had)
                          : there.inode != had->inode && !has_same_contents(&there, had);
}

static bool look_at_row(struct looked_at *at, struct olv_error *err)
{
    static const char update[] = "UPDATE had SET checked = ?2, missing = CASE WHEN ?3 THEN"
                                 " coalesce(missing, ?2) END WHERE path = ?1 AND act = ?4 AND inode = ?5";
    struct olv_had had = {.path = ""};
    read_had(at->row, &had);
    return database_put(&at->reg->base, &at->put, update,
                        VALUES(value_string(at->path), value_of(at->now.s),
                               value_of(leads_nowhere(at->path, &had)),
                               value_text((const char *)sqlite3_column_text(at->row, FACTS_ACT)),
                               value_of(sqlite3_column_int64(at->row, FACTS_INODE))),
                        err);
}

bool had_tidy(struct olv_register *r, struct olv_instant now, struct olv_error *err)
{
    static const char some[] = "SELECT " FACTS ", act FROM had WHERE checked < ?1 ORDER BY checked"
                               " LIMIT ?2";
    return look_again(r, now, some, FACTS_PATH, look_at_row, err) &&
           database_do(&r->base, "DELETE FROM had WHERE missing <= ?1", VALUES(value_of(now.s - MISSING_S)),
                       err);
}
