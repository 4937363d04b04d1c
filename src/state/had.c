/* SPDX-License-Identifier: Apache-2.0 */
#include "base/grow.h"
#include "state/register_parts.h"

#include <string.h>

#define VALUES_OF_HAD(had)                                                                                   \
    value_string((had)->path), value_text((had)->act ? (had)->act->word : NULL),                             \
        value_of((int64_t)(had)->size_bytes), value_of((had)->modified.s), value_of((had)->modified.ns)

bool had_note(struct olv_register *r, const struct olv_had *had, struct olv_error *err)
{
    struct olv_had copy = *had;
    copy.path = olv_arena_copy(&r->strings, had->path, strlen(had->path));
    copy.was_name = olv_arena_copy(&r->strings, had->was_name, strlen(had->was_name));
    if (!copy.path || !copy.was_name || !grow(&r->had, r->had_count, &r->had_cap, sizeof *r->had))
        return olv_fail_memory(err);
    r->had[r->had_count++] = copy;
    return true;
}

bool had_put_all(const struct olv_register *r, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    bool ok = true;
    for (size_t i = 0; ok && i < r->had_count; i++) {
        const struct olv_had *had = &r->had[i];
        ok = database_put(&r->base, &s, "INSERT OR REPLACE INTO had VALUES (?,?,?,?,?,?,?)",
                          VALUES(VALUES_OF_HAD(had), value_string(*had->was_name ? had->was_name : NULL),
                                 value_if(*had->was_name, (int64_t)had->was_bytes)),
                          err);
    }
    sqlite3_finalize(s);
    return ok;
}

enum olv_truth olv_register_find_had(struct olv_register *r, struct olv_had *had, char was_name[NAME_MAX + 1],
                                     uint64_t *was_bytes, struct olv_error *err)
{
    static const char sql[] = "SELECT was_name, was_size, act FROM had WHERE path = ?1 AND size = ?3 AND"
                              " modified_s = ?4 AND modified_ns = ?5 AND"
                              " CASE WHEN ?2 IS NULL THEN was_name IS NOT NULL ELSE act = ?2 END";
    enum olv_truth found = database_find(&r->base, &r->find_had, sql, VALUES(VALUES_OF_HAD(had)), err);
    int len = found == OLV_YES ? sqlite3_column_bytes(r->find_had, 0) : 0;
    len = len > NAME_MAX ? 0 : len;
    if (len)
        memcpy(was_name, sqlite3_column_blob(r->find_had, 0), (size_t)len);
    was_name[len] = '\0';
    if (found == OLV_YES && !had->act)
        had->act = olv_act_named((const char *)sqlite3_column_text(r->find_had, 2));
    *was_bytes = found == OLV_YES ? (uint64_t)sqlite3_column_int64(r->find_had, 1) : 0;
    sqlite3_reset(r->find_had);
    return found == OLV_YES && !had->act ? OLV_NO : found;
}
