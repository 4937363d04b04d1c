/* SPDX-License-Identifier: Apache-2.0 */
/* What our own removals changed does not make a directory younger: its times before the first of them, as
 * long as it still has those of the last one. */
#include "base/grow.h"
#include "os/os.h"
#include "state/register_parts.h"

#include <errno.h>
#include <string.h>

static bool note_row(struct olv_register *r, const char *path, const struct olv_stat *before,
                     const struct olv_stat *after, bool is_settled, struct olv_error *err)
{
    struct emptied_row *row;
    if (!grow(&r->emptied, r->emptied_count, &r->emptied_cap, sizeof *r->emptied))
        return olv_fail_memory(err);
    row = &r->emptied[r->emptied_count];
    *row = (struct emptied_row){olv_arena_copy(&r->strings, path, strlen(path)), *before, *after, is_settled};
    r->emptied_count += row->path != NULL;
    return row->path || olv_fail_memory(err);
}

bool emptied_note(struct olv_register *r, const char *path, const struct olv_stat *before,
                  const struct olv_stat *after, struct olv_error *err)
{
    return note_row(r, path, before, after, false, err);
}

bool emptied_settle(struct olv_register *r, const char *path, const struct olv_stat *now,
                    struct olv_error *err)
{
    return note_row(r, path, now, now, true, err);
}

#define VALUES_OF_TIMES(stat)                                                                                \
    value_of((stat)->modified.s), value_of((stat)->modified.ns), value_of((stat)->changed.s),                \
        value_of((stat)->changed.ns)

bool emptied_put_all(struct olv_register *r, struct olv_instant now, struct olv_error *err)
{
    static const char again[] =
        "UPDATE emptied SET after_modified_s = ?3, after_modified_ns = ?4, after_changed_s = ?5,"
        " after_changed_ns = ?6, looked = ?7 WHERE path = ?1 AND inode = ?2"
        " AND (?10 OR after_modified_s = ?8 AND after_modified_ns = ?9)",
                      first[] = "INSERT OR REPLACE INTO emptied VALUES (?,?,?,?,?,?,?,?,?,?,?)";
    sqlite3_stmt *s = NULL, *put = NULL;
    bool ok = true;
    for (size_t i = 0; ok && i < r->emptied_count; i++) {
        const struct emptied_row *e = &r->emptied[i];
        const struct value path = value_string(e->path), inode = value_of((int64_t)e->after.inode);
        ok = database_put(&r->base, &s, again,
                          VALUES(path, inode, VALUES_OF_TIMES(&e->after), value_of(now.s),
                                 value_of(e->before.modified.s), value_of(e->before.modified.ns),
                                 value_of(e->is_settled)),
                          err);
        if (ok && !e->is_settled && database_changes(&r->base) == 0)
            ok = database_put(
                &r->base, &put, first,
                VALUES(path, inode, VALUES_OF_TIMES(&e->before), VALUES_OF_TIMES(&e->after), value_of(now.s)),
                err);
        r->has_emptied = e->is_settled ? OLV_UNKNOWN : OLV_YES;
    }
    sqlite3_finalize(s);
    sqlite3_finalize(put);
    return ok;
}

static enum olv_truth emptied_any(struct olv_register *r, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    if (r->has_emptied == OLV_UNKNOWN)
        r->has_emptied = database_find(&r->base, &s, "SELECT inode FROM emptied LIMIT 1", NULL, 0, err);
    sqlite3_finalize(s);
    return r->has_emptied;
}

static struct olv_instant instant_at(sqlite3_stmt *s, int column)
{
    return (struct olv_instant){sqlite3_column_int64(s, column),
                                (uint32_t)sqlite3_column_int64(s, column + 1)};
}

enum olv_truth olv_register_before_emptied(struct olv_register *r, const char *path, struct olv_stat *stat,
                                           struct olv_error *err)
{
    static const char sql[] =
        "SELECT modified_s, modified_ns, changed_s, changed_ns FROM emptied"
        " WHERE path = ?1 AND inode = ?2 AND after_modified_s = ?3"
        " AND after_modified_ns = ?4 AND after_changed_s = ?5 AND after_changed_ns = ?6";
    enum olv_truth is_there = emptied_any(r, err);
    if (is_there != OLV_YES)
        return is_there;
    is_there =
        database_find(&r->base, &r->find_emptied, sql,
                      VALUES(value_string(path), value_of((int64_t)stat->inode), VALUES_OF_TIMES(stat)), err);
    if (is_there == OLV_YES) {
        stat->modified = instant_at(r->find_emptied, 0);
        stat->changed = instant_at(r->find_emptied, 2);
    }
    sqlite3_reset(r->find_emptied);
    return is_there;
}

/* ---- tidying ---- */

/* A row about another directory, or one that somebody else has changed since, is never asked again. */
static bool is_over(const struct looked_at *at)
{
    struct olv_stat stat;
    if (!olv_os_stat_path(at->path, &stat))
        return olv_os_is_absent(errno);
    return (int64_t)stat.inode != sqlite3_column_int64(at->row, 1) ||
           olv_instant_compare(stat.modified, instant_at(at->row, 2)) != 0;
}

static bool look_at_row(struct looked_at *at, struct olv_error *err)
{
    static const char gone[] = "DELETE FROM emptied WHERE path = ?1 AND inode = ?2",
                      kept[] = "UPDATE emptied SET looked = ?3 WHERE path = ?1 AND inode = ?2";
    const struct value path = value_string(at->path), inode = value_of(sqlite3_column_int64(at->row, 1));
    if (is_over(at))
        return database_put(&at->reg->base, &at->out, gone, VALUES(path, inode), err);
    return database_put(&at->reg->base, &at->put, kept, VALUES(path, inode, value_of(at->now.s)), err);
}

bool emptied_tidy(struct olv_register *r, struct olv_instant now, struct olv_error *err)
{
    static const char some[] = "SELECT path, inode, after_modified_s, after_modified_ns FROM emptied"
                               " WHERE looked < ?1 ORDER BY looked LIMIT ?2";
    return look_again(r, now, some, 0, look_at_row, err);
}
