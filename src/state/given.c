/* SPDX-License-Identifier: Apache-2.0 */
/* A file is recognised by its inode and birth time, which survive renames and reboots. Without birth times,
 * its inode alone (its name may differ from the planned one) or its path (of which only a digest is kept)
 * must do. A mistake would spare another file for a while, and nothing more. */
#include "base/grow.h"
#include "state/register_parts.h"

#include <stdlib.h>
#include <string.h>

/* Adds a row, not filled in; NULL without memory. */
static struct given_row *one_more(struct given_list *list)
{
    if (!grow(&list->items, list->count, &list->cap, sizeof *list->items))
        return NULL;
    return &list->items[list->count++];
}

/* ---- noting ---- */

bool given_note(struct olv_register *r, uint64_t entry, const char *path, const struct olv_stat *stat,
                bool is_spared, struct olv_error *err)
{
    struct given_row *row = one_more(&r->given);
    if (!row)
        return olv_fail_memory(err);
    *row = (struct given_row){
        .entry = entry, .file = {stat->inode, stat->has_born, stat->born}, .is_spared = is_spared};
    olv_sha256(r->hasher, path, strlen(path), row->path);
    return true;
}

bool given_put_all(struct olv_register *r, const char *run, struct olv_instant now, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    bool ok = true;
    for (size_t i = 0; ok && i < r->given.count; i++) {
        const struct given_row *row = &r->given.items[i];
        if (row->is_spared)
            r->has_spared = OLV_YES;
        ok = database_put(&r->base, &s, "INSERT OR REPLACE INTO given VALUES (?, ?, ?, ?, ?, ?, ?)",
                          VALUES(value_text(run), value_of((int64_t)row->entry),
                                 value_of(row->is_spared ? now.s + OLV_RESPITE_S : 0),
                                 VALUES_OF_FILE(&row->file), value_bytes(row->path, OLV_SHA256_SIZE)),
                          err);
    }
    sqlite3_finalize(s);
    return ok;
}

/* ---- asking ---- */

static struct given read_file(sqlite3_stmt *s, int column)
{
    struct given file = {.inode = (uint64_t)sqlite3_column_int64(s, column)};
    file.has_born = database_read_born(s, column + 1, &file.born);
    return file;
}

enum olv_truth given_find(struct olv_register *r, const char *run, uint64_t entry, const char *path,
                          struct given *out, struct olv_error *err)
{
    static const char by_entry[] = "SELECT inode, born_s, born_ns FROM given WHERE run = ?1 AND entry = ?2",
                      by_path[] = "SELECT inode, born_s, born_ns FROM given WHERE run = ?1 AND path = ?2";
    sqlite3_stmt **find = path ? &r->find_path : &r->find_entry;
    uint8_t digest[OLV_SHA256_SIZE];
    enum olv_truth found;
    if (path)
        olv_sha256(r->hasher, path, strlen(path), digest);
    found = database_find(
        &r->base, find, path ? by_path : by_entry,
        VALUES(value_text(run), path ? value_bytes(digest, sizeof digest) : value_of((int64_t)entry)), err);
    if (found == OLV_YES)
        *out = read_file(*find, 0);
    sqlite3_reset(*find);
    return found;
}

static enum olv_truth is_anything_spared(const struct olv_register *r, struct olv_instant now)
{
    sqlite3_stmt *s = NULL;
    struct olv_error ignored = {0};
    enum olv_truth found = database_find(&r->base, &s, "SELECT 1 FROM given WHERE until > ?1",
                                         VALUES(value_of(now.s)), &ignored);
    sqlite3_finalize(s);
    return found;
}

enum olv_truth given_is_spared(struct olv_register *r, const struct olv_stat *stat, struct olv_instant now)
{
    static const char sql[] =
        "SELECT 1 FROM given WHERE inode = ?1 AND born_s IS ?2 AND born_ns IS ?3 AND until > ?4";
    struct olv_error ignored = {0};
    enum olv_truth found;
    if (r->has_spared == OLV_UNKNOWN)
        r->has_spared = is_anything_spared(r, now);
    if (r->has_spared != OLV_YES)
        return r->has_spared;
    found = database_find(&r->base, &r->find_spared, sql, VALUES(VALUES_OF_FILE(stat), value_of(now.s)),
                          &ignored);
    sqlite3_reset(r->find_spared);
    return found;
}

/* ---- all of them, for planning ---- */

struct olv_respites {
    struct given_list given; /* sorted by inode */
};

static int by_inode(const void *a, const void *b)
{
    const struct given_row *x = a, *y = b;
    return x->file.inode < y->file.inode ? -1 : x->file.inode > y->file.inode;
}

static bool add_row(struct olv_respites *respites, sqlite3_stmt *s)
{
    struct given_row *row = one_more(&respites->given);
    if (!row)
        return false;
    *row = (struct given_row){.until_s = sqlite3_column_int64(s, 0), .file = read_file(s, 1)};
    if (sqlite3_column_bytes(s, 4) == OLV_SHA256_SIZE)
        memcpy(row->path, sqlite3_column_blob(s, 4), OLV_SHA256_SIZE);
    return true;
}

static bool given_read_all(struct olv_respites *respites, const struct olv_register *r,
                           struct olv_instant now, bool is_doubtful, struct olv_error *err)
{
    static const char sql[] = "SELECT until, inode, born_s, born_ns, path FROM given WHERE until > ?1";
    sqlite3_stmt *s = NULL;
    enum olv_truth row;
    bool ok = true;
    for (row = database_find(&r->base, &s, sql, VALUES(value_of(is_doubtful ? 0 : now.s)), err);
         ok && row == OLV_YES; row = database_next(&r->base, s, err))
        ok = add_row(respites, s) || olv_fail_memory(err);
    sqlite3_finalize(s);
    ok = ok && row == OLV_NO;
    for (size_t i = 0; ok && is_doubtful && i < respites->given.count; i++)
        respites->given.items[i].until_s = INT64_MAX;
    if (ok && respites->given.count)
        qsort(respites->given.items, respites->given.count, sizeof *respites->given.items, by_inode);
    return ok;
}

struct olv_respites *olv_respites_read(const struct olv_register *reg, struct olv_instant now,
                                       bool is_doubtful, struct olv_error *err)
{
    struct olv_respites *respites = calloc(1, sizeof *respites);
    if (!respites)
        olv_fail_memory(err);
    else if (!reg || given_read_all(respites, reg, now, is_doubtful, err))
        return respites;
    olv_respites_free(respites);
    return NULL;
}

void olv_respites_free(struct olv_respites *respites)
{
    if (!respites)
        return;
    free(respites->given.items);
    free(respites);
}

static bool includes_path(const struct given_list *given, struct olv_instant as_of, const char *path)
{
    struct olv_hasher *hasher = olv_hasher_new();
    uint8_t digest[OLV_SHA256_SIZE];
    bool is_found = !hasher; /* what cannot be known is not touched */
    if (hasher)
        olv_sha256(hasher, path, strlen(path), digest);
    for (size_t i = 0; hasher && !is_found && i < given->count; i++)
        is_found =
            given->items[i].until_s > as_of.s && memcmp(given->items[i].path, digest, sizeof digest) == 0;
    olv_hasher_free(hasher);
    return is_found;
}

bool olv_respites_include(const struct olv_respites *respites, const struct olv_stat *stat,
                          struct olv_instant as_of, const char *(*path)(void *self), void *self)
{
    const struct given_row *items = respites->given.items;
    size_t count = respites->given.count, low = 0, high = count;
    bool asks_path = count && !stat->has_born;
    const char *where = asks_path ? path(self) : NULL;
    if (asks_path && (!where || includes_path(&respites->given, as_of, where)))
        return true; /* what cannot be known is not touched */
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (items[middle].file.inode < stat->inode)
            low = middle + 1;
        else
            high = middle;
    }
    for (; low < count && items[low].file.inode == stat->inode; low++)
        if (given_is(&items[low].file, stat) && items[low].until_s > as_of.s)
            return true;
    return false;
}
