/* SPDX-License-Identifier: Apache-2.0 */
/* A row is durable before the level is set, and goes after it was lifted: what Olvido did not set it never
 * lifts. A row of a file whose path has led nowhere for long goes, too, unless not even root could have
 * removed that file: then its directory was renamed. */
#include "base/grow.h"
#include "os/os.h"
#include "state/register_parts.h"

#include <errno.h>
#include <string.h>

enum { MISSING_S = 90 * 86400 };

static const char *copy(struct olv_register *r, const char *text)
{
    return olv_arena_copy(&r->strings, text, strlen(text));
}

static bool note_row(struct olv_register *r, const struct olv_protected *row, bool is_forgotten,
                     struct olv_error *err)
{
    struct protected_row *new;
    if (!grow(&r->protected, r->protected_count, &r->protected_cap, sizeof *r->protected))
        return olv_fail_memory(err);
    new = &r->protected[r->protected_count];
    *new = (struct protected_row){*row, is_forgotten};
    new->row.path = copy(r, row->path);
    new->row.rule = copy(r, row->rule);
    new->row.run = copy(r, row->run);
    if (!new->row.path || !new->row.rule || !new->row.run)
        return olv_fail_memory(err);
    r->protected_count++;
    return true;
}

bool protected_note(struct olv_register *r, const struct olv_protected *row, struct olv_error *err)
{
    return note_row(r, row, false, err);
}

bool protected_forget(struct olv_register *r, const struct olv_protected *row, struct olv_error *err)
{
    return note_row(r, row, true, err);
}

/* ---- storing ---- */

static bool is_known(const uint8_t uuid[16])
{
    static const uint8_t none[16] = {0};
    return memcmp(uuid, none, sizeof none) != 0;
}

/* What its inode and birth time belong to; without a birth time its path must do. */
static struct value system_of(const struct olv_protected *p)
{
    return p->has_born ? value_bytes(p->uuid, sizeof p->uuid) : value_string(p->path);
}

#define VALUES_OF_KEY(p)                                                                                     \
    value_of((int64_t)(p)->inode), value_of((p)->has_born ? (p)->born.s : 0),                                \
        value_of((p)->has_born ? (p)->born.ns : 0), system_of(p), value_text((p)->rule),                     \
        value_of((p)->level)

bool protected_put_all(struct olv_register *r, struct olv_instant now, struct olv_error *err)
{
    static const char insert[] = "INSERT OR REPLACE INTO protected VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,NULL)",
                      forget[] = "DELETE FROM protected WHERE inode = ?1 AND born_s = ?2 AND born_ns = ?3"
                                 " AND (system = ?4 OR ?8) AND rule = ?5 AND level = ?6"
                                 " AND (?7 = '' OR run = ?7)";
    sqlite3_stmt *put = NULL, *out = NULL;
    bool ok = true;
    for (size_t i = 0; ok && i < r->protected_count; i++) {
        const struct olv_protected *p = &r->protected[i].row;
        if (r->protected[i].is_forgotten)
            ok = database_put(
                &r->base, &out, forget,
                VALUES(VALUES_OF_KEY(p), value_text(p->run), value_of(p->has_born && !is_known(p->uuid))),
                err);
        else
            ok = database_put(&r->base, &put, insert,
                              VALUES(VALUES_OF_KEY(p), value_string(p->path), value_text(p->run),
                                     value_of(p->was_so), value_of(p->has_list), value_of(p->mode),
                                     value_of(p->since.s), value_of(now.s)),
                              err);
        r->has_protected = OLV_UNKNOWN;
    }
    sqlite3_finalize(put);
    sqlite3_finalize(out);
    return ok;
}

/* ---- asking ---- */

static enum olv_truth protected_any(struct olv_register *r, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    if (r->has_protected == OLV_UNKNOWN)
        r->has_protected = database_find(&r->base, &s, "SELECT inode FROM protected LIMIT 1", NULL, 0, err);
    sqlite3_finalize(s);
    return r->has_protected;
}

/* UUIDs count where both are known: inode and birth time say enough without. */
static bool is_system(sqlite3_stmt *s, const struct olv_protected *file)
{
    const struct value wanted = system_of(file);
    const uint8_t *is = sqlite3_column_blob(s, 0);
    if (sqlite3_column_bytes(s, 0) != (int)wanted.n)
        return false;
    return memcmp(is, wanted.at, (size_t)wanted.n) == 0 ||
           (file->has_born && (!is_known(is) || !is_known(file->uuid)));
}

static const char *text_at(sqlite3_stmt *s, int column)
{
    const char *text = (const char *)sqlite3_column_text(s, column);
    return text ? text : "";
}

enum olv_truth olv_register_protection(struct olv_register *r, const struct olv_protected *file,
                                       void (*each)(void *self, const struct olv_protected *row), void *self,
                                       struct olv_error *err)
{
    static const char sql[] =
        "SELECT system, rule, level, path, run, was_so, has_list, mode, since FROM protected"
        " WHERE inode = ?1 AND born_s = ?2 AND born_ns = ?3";
    enum olv_truth found = protected_any(r, err), row;
    struct olv_text path = {0};
    if (found != OLV_YES)
        return found;
    found = OLV_NO;
    row = database_find(&r->base, &r->find_protected, sql,
                        VALUES(value_of((int64_t)file->inode), value_of(file->has_born ? file->born.s : 0),
                               value_of(file->has_born ? file->born.ns : 0)),
                        err);
    for (; row == OLV_YES; row = database_next(&r->base, r->find_protected, err)) {
        sqlite3_stmt *s = r->find_protected;
        struct olv_protected it = *file;
        if (!is_system(s, file))
            continue;
        olv_text_clear(&path);
        olv_text_add(&path, sqlite3_column_blob(s, 3), (size_t)sqlite3_column_bytes(s, 3));
        it.path = olv_text_string(&path);
        it.rule = text_at(s, 1);
        it.level = (enum olv_protection)sqlite3_column_int(s, 2);
        it.run = text_at(s, 4);
        it.was_so = sqlite3_column_int(s, 5);
        it.has_list = sqlite3_column_int(s, 6);
        it.mode = (uint32_t)sqlite3_column_int(s, 7);
        it.since.s = sqlite3_column_int64(s, 8);
        it.since.ns = 0;
        found = OLV_YES;
        each(self, &it);
    }
    sqlite3_reset(r->find_protected);
    if (path.failed)
        row = (olv_fail_memory(err), OLV_UNKNOWN);
    olv_text_free(&path);
    return row == OLV_UNKNOWN ? OLV_UNKNOWN : found;
}

/* ---- tidying ---- */

static bool look_at_row(struct looked_at *at, struct olv_error *err)
{
    static const char update[] = "UPDATE protected SET looked = ?7, missing = CASE WHEN ?8 THEN"
                                 " coalesce(missing, ?7) END WHERE inode = ?1 AND born_s = ?2"
                                 " AND born_ns = ?3 AND system = ?4 AND rule = ?5 AND level = ?6";
    sqlite3_stmt *s = at->row;
    int64_t inode = sqlite3_column_int64(s, 0);
    struct olv_stat stat;
    bool is_gone = olv_os_stat_path(at->path, &stat) ? (int64_t)stat.inode != inode : olv_os_is_absent(errno);
    return database_put(&at->reg->base, &at->put, update,
                        VALUES(value_of(inode), value_of(sqlite3_column_int64(s, 1)),
                               value_of(sqlite3_column_int64(s, 2)),
                               value_bytes(sqlite3_column_blob(s, 3), (size_t)sqlite3_column_bytes(s, 3)),
                               value_text(text_at(s, 4)), value_of(sqlite3_column_int64(s, 5)),
                               value_of(at->now.s), value_of(is_gone)),
                        err);
}

bool protected_tidy(struct olv_register *r, struct olv_instant now, struct olv_error *err)
{
    static const char some[] = "SELECT inode, born_s, born_ns, system, rule, level, path FROM protected"
                               " WHERE looked < ?1 ORDER BY looked LIMIT ?2";
    return look_again(r, now, some, 6, look_at_row, err) &&
           database_do(&r->base, "DELETE FROM protected WHERE missing <= ?1 AND level = 1",
                       VALUES(value_of(now.s - MISSING_S)), err);
}
