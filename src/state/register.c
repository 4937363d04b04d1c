/* SPDX-License-Identifier: Apache-2.0 */
#include "os/private.h"
#include "state/register_parts.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <unistd.h>

static const char NAME[] = "state.db";
enum { VERSION = 6 };

static const char schema[] =
    "CREATE TABLE given (run TEXT NOT NULL, entry INTEGER NOT NULL, until INTEGER NOT NULL,"
    " inode INTEGER NOT NULL, born_s INTEGER, born_ns INTEGER, path BLOB NOT NULL,"
    " PRIMARY KEY (run, entry)) WITHOUT ROWID;"
    "CREATE INDEX given_file ON given (inode);"
    "CREATE TABLE had (path BLOB NOT NULL, act TEXT NOT NULL, inode INTEGER NOT NULL, born_s INTEGER,"
    " born_ns INTEGER, size INTEGER NOT NULL, modified_s INTEGER NOT NULL, modified_ns INTEGER NOT NULL,"
    " arguments BLOB NOT NULL, before BLOB NOT NULL, checked INTEGER NOT NULL, missing INTEGER,"
    " PRIMARY KEY (path, act, inode)) WITHOUT ROWID;"
    "CREATE INDEX had_file ON had (inode);"
    "CREATE INDEX had_checked ON had (checked);"
    "CREATE TABLE rule (name TEXT NOT NULL, digest BLOB NOT NULL, since INTEGER NOT NULL,"
    " seen INTEGER NOT NULL, PRIMARY KEY (name, digest)) WITHOUT ROWID;"
    "CREATE TABLE clock (id INTEGER PRIMARY KEY CHECK (id = 0), wall INTEGER NOT NULL, boot TEXT NOT NULL,"
    " since_boot INTEGER NOT NULL);"
    "CREATE TABLE emptied (path BLOB NOT NULL, inode INTEGER NOT NULL, modified_s INTEGER NOT NULL,"
    " modified_ns INTEGER NOT NULL, changed_s INTEGER NOT NULL, changed_ns INTEGER NOT NULL,"
    " after_modified_s INTEGER NOT NULL, after_modified_ns INTEGER NOT NULL,"
    " after_changed_s INTEGER NOT NULL, after_changed_ns INTEGER NOT NULL, looked INTEGER NOT NULL,"
    " PRIMARY KEY (path, inode)) WITHOUT ROWID;"
    "CREATE INDEX emptied_looked ON emptied (looked);"
    "CREATE TABLE protected (inode INTEGER NOT NULL, born_s INTEGER NOT NULL, born_ns INTEGER NOT NULL,"
    " system BLOB NOT NULL, rule TEXT NOT NULL, level INTEGER NOT NULL, path BLOB NOT NULL,"
    " run TEXT NOT NULL, was_so INTEGER NOT NULL, has_list INTEGER NOT NULL, mode INTEGER NOT NULL,"
    " since INTEGER NOT NULL, looked INTEGER NOT NULL, missing INTEGER,"
    " PRIMARY KEY (inode, born_s, born_ns, system, rule, level)) WITHOUT ROWID;"
    "CREATE INDEX protected_looked ON protected (looked);"
    "CREATE TABLE marked (inode INTEGER NOT NULL, born_s INTEGER NOT NULL, born_ns INTEGER NOT NULL,"
    " before_s INTEGER NOT NULL, before_ns INTEGER NOT NULL, after_s INTEGER NOT NULL,"
    " after_ns INTEGER NOT NULL, path BLOB NOT NULL, looked INTEGER NOT NULL,"
    " PRIMARY KEY (inode, born_s, born_ns)) WITHOUT ROWID;"
    "CREATE INDEX marked_looked ON marked (looked);"
    "PRAGMA user_version = 6;";

struct olv_register *register_open(const char *state, enum database_use use, struct olv_error *err)
{
    struct olv_register *r = calloc(1, sizeof *r);
    if (!r || !(r->hasher = olv_hasher_new())) {
        free(r);
        olv_fail_memory(err);
        return NULL;
    }
    r->has_spared = r->has_had = r->has_emptied = r->has_protected = r->has_marked = OLV_UNKNOWN;
    r->base.what = "what runs remember (state.db)";
    r->base.hint = "nothing was touched; restore it from a copy, or remove it: then what was recovered is no "
                   "longer spared, rules count as new, and what is protected needs `unprotect --anyway`";
    if (database_open(&r->base, state, NAME, use, err) &&
        database_have_tables(&r->base, VERSION, schema, use, err))
        return r;
    olv_register_close(r);
    return NULL;
}

static void forget_noted(struct olv_register *r)
{
    r->given.count = 0;
    r->had_count = 0;
    r->emptied_count = 0;
    r->protected_count = 0;
    r->marked_count = 0;
    olv_arena_free(&r->strings);
}

void olv_register_close(struct olv_register *r)
{
    if (!r)
        return;
    sqlite3_finalize(r->find_entry);
    sqlite3_finalize(r->find_path);
    sqlite3_finalize(r->find_spared);
    sqlite3_finalize(r->find_had);
    sqlite3_finalize(r->find_had_file);
    sqlite3_finalize(r->find_emptied);
    sqlite3_finalize(r->find_protected);
    sqlite3_finalize(r->find_marked);
    database_close(&r->base);
    olv_hasher_free(r->hasher);
    forget_noted(r);
    free(r->given.items);
    free(r->had);
    free(r->emptied);
    free(r->protected);
    free(r->marked);
    free(r);
}

void register_on_full(struct olv_register *r, bool (*more_room)(void *self, struct olv_error *err),
                      void *self)
{
    r->base.more_room = more_room;
    r->base.self = self;
}

bool register_has_notes(const struct olv_register *r)
{
    return r && (r->given.count || r->had_count || r->emptied_count || r->protected_count || r->marked_count);
}

bool register_store(struct olv_register *r, const char *run, struct olv_instant now, struct olv_error *err)
{
    bool ok = true;
    if (register_has_notes(r))
        do
            ok = database_begin(&r->base, err) && given_put_all(r, run, now, err) &&
                 had_put_all(r, now, err) && emptied_put_all(r, now, err) && protected_put_all(r, now, err) &&
                 marked_put_all(r, now, err);
        while (database_again(&r->base, &ok, err));
    forget_noted(r);
    return ok;
}

bool register_end_run(struct olv_register *r, struct olv_instant now, struct olv_error *err)
{
    bool ok;
    do
        ok = database_begin(&r->base, err) &&
             database_do(&r->base, "DELETE FROM given WHERE until <= ?1", VALUES(value_of(now.s)), err) &&
             had_put_all(r, now, err) && had_tidy(r, now, err) && emptied_put_all(r, now, err) &&
             emptied_tidy(r, now, err) && protected_put_all(r, now, err) && protected_tidy(r, now, err) &&
             marked_put_all(r, now, err) && marked_tidy(r, now, err);
    while (database_again(&r->base, &ok, err));
    forget_noted(r);
    return ok;
}

/* ---- to read it ---- */

/* A state directory that others can write is not trusted. Without one, nothing was ever done. */
static bool is_private(const char *state, bool *is_there, struct olv_error *err)
{
    int dir = olv_private_open(AT_FDCWD, state, false, state, "the state directory", err);
    *is_there = dir >= 0;
    if (dir >= 0)
        close(dir);
    return dir >= 0 || err->sys == ENOENT;
}

bool olv_register_open(const char *state, struct olv_register **out, struct olv_error *err)
{
    bool is_there;
    *out = NULL;
    if (!is_private(state, &is_there, err))
        return false;
    if (is_there)
        *out = register_open(state, DATABASE_LOOK, err);
    if (!*out && err->sys != ENOENT)
        return false;
    olv_error_clear(err);
    return true;
}
