/* SPDX-License-Identifier: Apache-2.0 */
#include "depot/had.h"

#include "base/grow.h"
#include "depot/catalogue_parts.h"

#include <stdlib.h>
#include <string.h>

static void bind_file(sqlite3_stmt *s, const struct catalogue_had *h)
{
    sqlite3_reset(s);
    sqlite3_bind_blob(s, 1, h->path, (int)strlen(h->path), SQLITE_STATIC);
    if (h->act)
        sqlite3_bind_text(s, 2, h->act->word, -1, SQLITE_STATIC);
    else
        sqlite3_bind_null(s, 2);
    sqlite3_bind_int64(s, 3, (int64_t)h->size_bytes);
    sqlite3_bind_int64(s, 4, h->modified.s);
    sqlite3_bind_int64(s, 5, h->modified.ns);
}

bool had_list_add(struct had_list *list, const struct catalogue_had *had)
{
    struct catalogue_had *copy;
    if (!list->arena && !(list->arena = calloc(1, sizeof *list->arena)))
        return false;
    if (!grow(&list->items, list->count, &list->cap, sizeof *list->items))
        return false;
    copy = &list->items[list->count];
    *copy = *had;
    copy->path = olv_arena_copy(list->arena, had->path, strlen(had->path));
    copy->was_name = olv_arena_copy(list->arena, had->was_name, strlen(had->was_name));
    list->count += copy->path && copy->was_name;
    return copy->path && copy->was_name;
}

static void clear(struct had_list *list)
{
    list->count = 0;
    if (list->arena)
        olv_arena_free(list->arena);
}

void had_list_free(struct had_list *list)
{
    clear(list);
    free(list->items);
    free(list->arena);
    *list = (struct had_list){0};
}

struct storing {
    const struct had_list *list;
    struct olv_catalogue *catalogue;
};

static bool put_one(const struct database *base, sqlite3_stmt *s, const struct catalogue_had *had,
                    struct olv_error *err)
{
    bind_file(s, had);
    sqlite3_bind_null(s, 6);
    sqlite3_bind_null(s, 7);
    if (*had->was_name) {
        sqlite3_bind_blob(s, 6, had->was_name, (int)strlen(had->was_name), SQLITE_STATIC);
        sqlite3_bind_int64(s, 7, (int64_t)had->was_bytes);
    }
    return database_step(base, s, err);
}

static bool put_all(void *self, struct olv_error *err)
{
    const struct storing *x = self;
    const struct database *base = &x->catalogue->base;
    sqlite3_stmt *s = NULL;
    bool ok = database_prepare(base, &s, "INSERT OR REPLACE INTO had VALUES (?,?,?,?,?,?,?)", err);
    for (size_t i = 0; ok && i < x->list->count; i++)
        ok = put_one(base, s, &x->list->items[i], err);
    sqlite3_finalize(s);
    return ok;
}

bool had_list_store(struct had_list *list, struct olv_catalogue *c, struct olv_error *err)
{
    struct storing x = {list, c};
    bool ok = list->count == 0 || database_write(&c->base, put_all, &x, err);
    clear(list);
    return ok;
}

bool catalogue_find_had(struct olv_catalogue *c, struct catalogue_had *had, char was_name[NAME_MAX + 1],
                        uint64_t *was_bytes)
{
    static const char sql[] = "SELECT was_name, was_size, act FROM had WHERE path = ?1 AND size = ?3 AND"
                              " modified_s = ?4 AND modified_ns = ?5 AND"
                              " CASE WHEN ?2 IS NULL THEN was_name IS NOT NULL ELSE act = ?2 END";
    struct olv_error ignored = {0};
    bool is_found;
    int len;
    if (!c->find_had && !database_prepare(&c->base, &c->find_had, sql, &ignored))
        return false;
    bind_file(c->find_had, had);
    is_found = sqlite3_step(c->find_had) == SQLITE_ROW;
    len = is_found ? sqlite3_column_bytes(c->find_had, 0) : 0;
    len = len > NAME_MAX ? 0 : len;
    if (len)
        memcpy(was_name, sqlite3_column_blob(c->find_had, 0), (size_t)len);
    was_name[len] = '\0';
    if (is_found && !had->act)
        had->act = olv_act_named((const char *)sqlite3_column_text(c->find_had, 2));
    *was_bytes = is_found ? (uint64_t)sqlite3_column_int64(c->find_had, 1) : 0;
    sqlite3_reset(c->find_had);
    return is_found && had->act;
}
