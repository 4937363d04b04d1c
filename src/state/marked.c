/* SPDX-License-Identifier: Apache-2.0 */
/* What our own acts changed of a file's attributes does not make it younger: its ctime before the first of
 * them, as long as it still has that of the last one. */
#include "base/grow.h"
#include "os/os.h"
#include "state/register_parts.h"

#include <errno.h>
#include <string.h>

bool marked_note(struct olv_register *r, const char *path, const struct olv_stat *after,
                 struct olv_instant before, struct olv_error *err)
{
    struct marked_row *row;
    if (!grow(&r->marked, r->marked_count, &r->marked_cap, sizeof *r->marked))
        return olv_fail_memory(err);
    row = &r->marked[r->marked_count];
    *row =
        (struct marked_row){olv_arena_copy(&r->strings, path, strlen(path)), after->inode,
                            after->has_born ? after->born : (struct olv_instant){0}, before, after->changed};
    r->marked_count += row->path != NULL;
    return row->path || olv_fail_memory(err);
}

#define VALUES_OF_KEY(inode, born) value_of((int64_t)(inode)), value_of((born).s), value_of((born).ns)

bool marked_put_all(struct olv_register *r, struct olv_instant now, struct olv_error *err)
{
    static const char sql[] =
        "INSERT OR REPLACE INTO marked SELECT ?1, ?2, ?3, coalesce(m.before_s, ?4),"
        " coalesce(m.before_ns, ?5), ?6, ?7, ?8, ?9 FROM (SELECT 1) LEFT JOIN marked m"
        " ON m.inode = ?1 AND m.born_s = ?2 AND m.born_ns = ?3 AND m.after_s = ?4 AND m.after_ns = ?5";
    sqlite3_stmt *s = NULL;
    bool ok = true;
    for (size_t i = 0; ok && i < r->marked_count; i++) {
        const struct marked_row *m = &r->marked[i];
        ok = database_put(&r->base, &s, sql,
                          VALUES(VALUES_OF_KEY(m->inode, m->born), value_of(m->before.s),
                                 value_of(m->before.ns), value_of(m->after.s), value_of(m->after.ns),
                                 value_string(m->path), value_of(now.s)),
                          err);
        r->has_marked = OLV_YES;
    }
    sqlite3_finalize(s);
    return ok;
}

static enum olv_truth marked_any(struct olv_register *r, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    if (r->has_marked == OLV_UNKNOWN)
        r->has_marked = database_find(&r->base, &s, "SELECT inode FROM marked LIMIT 1", NULL, 0, err);
    sqlite3_finalize(s);
    return r->has_marked;
}

static enum olv_truth find(struct olv_register *r, const struct olv_stat *stat, struct olv_instant *before,
                           bool *is_ours, struct olv_error *err)
{
    static const char sql[] = "SELECT before_s, before_ns, after_s, after_ns FROM marked WHERE inode = ?1"
                              " AND born_s = ?2 AND born_ns = ?3";
    const struct olv_instant born = stat->has_born ? stat->born : (struct olv_instant){0};
    enum olv_truth is_there = marked_any(r, err);
    if (is_there != OLV_YES)
        return is_there;
    is_there = database_find(&r->base, &r->find_marked, sql, VALUES(VALUES_OF_KEY(stat->inode, born)), err);
    if (is_there == OLV_YES) {
        sqlite3_stmt *s = r->find_marked;
        *before = (struct olv_instant){sqlite3_column_int64(s, 0), (uint32_t)sqlite3_column_int64(s, 1)};
        *is_ours = sqlite3_column_int64(s, 2) == stat->changed.s &&
                   sqlite3_column_int64(s, 3) == (int64_t)stat->changed.ns;
    }
    sqlite3_reset(r->find_marked);
    return is_there;
}

enum olv_truth marked_find(struct olv_register *r, const struct olv_stat *stat, bool *is_ours,
                           struct olv_error *err)
{
    struct olv_instant before;
    return find(r, stat, &before, is_ours, err);
}

enum olv_truth olv_register_before_marked(struct olv_register *r, struct olv_stat *stat,
                                          struct olv_error *err)
{
    struct olv_instant before;
    bool is_ours = false;
    enum olv_truth is_there = find(r, stat, &before, &is_ours, err);
    if (is_there != OLV_YES || !is_ours)
        return is_there == OLV_YES ? OLV_NO : is_there;
    stat->changed = before;
    return OLV_YES;
}

/* ---- tidying ---- */

/* A file that is elsewhere, or that somebody else has changed since, counts by its own ctime from then on. */
static bool is_over(const struct looked_at *at)
{
    struct olv_stat stat;
    if (!olv_os_stat_path(at->path, &stat))
        return olv_os_is_absent(errno);
    return (int64_t)stat.inode != sqlite3_column_int64(at->row, 0) ||
           stat.changed.s != sqlite3_column_int64(at->row, 3) ||
           (int64_t)stat.changed.ns != sqlite3_column_int64(at->row, 4);
}

static bool look_at_row(struct looked_at *at, struct olv_error *err)
{
    static const char gone[] = "DELETE FROM marked WHERE inode = ?1 AND born_s = ?2 AND born_ns = ?3",
                      kept[] =
                          "UPDATE marked SET looked = ?4 WHERE inode = ?1 AND born_s = ?2 AND born_ns = ?3";
    const struct olv_instant born = {sqlite3_column_int64(at->row, 1),
                                     (uint32_t)sqlite3_column_int64(at->row, 2)};
    int64_t inode = sqlite3_column_int64(at->row, 0);
    if (is_over(at))
        return database_put(&at->reg->base, &at->out, gone, VALUES(VALUES_OF_KEY(inode, born)), err);
    return database_put(&at->reg->base, &at->put, kept,
                        VALUES(VALUES_OF_KEY(inode, born), value_of(at->now.s)), err);
}

bool marked_tidy(struct olv_register *r, struct olv_instant now, struct olv_error *err)
{
    static const char some[] = "SELECT inode, born_s, born_ns, after_s, after_ns, path FROM marked"
                               " WHERE looked < ?1 ORDER BY looked LIMIT ?2";
    return look_again(r, now, some, 5, look_at_row, err);
}
