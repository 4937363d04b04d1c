/* SPDX-License-Identifier: Apache-2.0 */
/* Which step a file has had, where that cannot be noted on the file itself. */
#include "depot/catalogue_parts.h"

#include <string.h>

static void bind_file(sqlite3_stmt *s, const struct catalogue_had *h)
{
    sqlite3_reset(s);
    sqlite3_bind_blob(s, 1, h->path, (int)strlen(h->path), SQLITE_STATIC);
    sqlite3_bind_text(s, 2, olv_act_word(h->act), -1, SQLITE_STATIC);
    sqlite3_bind_int64(s, 3, (int64_t)h->size_bytes);
    sqlite3_bind_int64(s, 4, h->modified.s);
    sqlite3_bind_int64(s, 5, h->modified.ns);
}

bool catalogue_remember(struct olv_catalogue *c, const struct catalogue_had *had, struct olv_error *err)
{
    if (!c->put_had &&
        (!catalogue_run(c, "BEGIN IMMEDIATE", err, "cannot begin") ||
         !catalogue_prepare(c, &c->put_had, "INSERT OR REPLACE INTO had VALUES (?,?,?,?,?,?,?)", err)))
        return false;
    bind_file(c->put_had, had);
    sqlite3_bind_null(c->put_had, 6);
    sqlite3_bind_null(c->put_had, 7);
    if (*had->was_name) {
        sqlite3_bind_blob(c->put_had, 6, had->was_name, (int)strlen(had->was_name), SQLITE_STATIC);
        sqlite3_bind_int64(c->put_had, 7, (int64_t)had->was_bytes);
    }
    return sqlite3_step(c->put_had) == SQLITE_DONE || catalogue_failed(c, err, "cannot write it");
}

bool catalogue_remembered(struct olv_catalogue *c, struct olv_error *err)
{
    if (!c->put_had)
        return true;
    sqlite3_finalize(c->put_had);
    c->put_had = NULL;
    if (catalogue_run(c, "COMMIT", err, "cannot bring it to the disk"))
        return true;
    sqlite3_exec(c->db, "ROLLBACK", NULL, NULL, NULL);
    return false;
}

bool catalogue_find_had(struct olv_catalogue *c, const struct catalogue_had *had, char was_name[NAME_MAX + 1],
                        uint64_t *was_bytes)
{
    static const char sql[] = "SELECT was_name, was_size FROM had WHERE path = ?1 AND act = ?2 AND size = ?3"
                              " AND modified_s = ?4 AND modified_ns = ?5";
    struct olv_error ignored = {0};
    bool is_found;
    int len;
    if (!c->find_had && !catalogue_prepare(c, &c->find_had, sql, &ignored))
        return false;
    bind_file(c->find_had, had);
    is_found = sqlite3_step(c->find_had) == SQLITE_ROW;
    len = is_found ? sqlite3_column_bytes(c->find_had, 0) : 0;
    len = len > NAME_MAX ? 0 : len;
    if (len)
        memcpy(was_name, sqlite3_column_blob(c->find_had, 0), (size_t)len);
    was_name[len] = '\0';
    *was_bytes = is_found ? (uint64_t)sqlite3_column_int64(c->find_had, 1) : 0;
    sqlite3_reset(c->find_had);
    return is_found;
}
