/* SPDX-License-Identifier: Apache-2.0 */
/* A small database of the state directory: one SQLite file, with a write-ahead log, and every commit on the
 * disk. A connection belongs to one thread. */
#ifndef OLV_OS_DATABASE_H
#define OLV_OS_DATABASE_H

#include "olvido/entry.h"
#include "olvido/error.h"

#include <sqlite3.h>
#include <stdbool.h>
#include <string.h>

struct database {
    sqlite3 *db;
    const char *what; /* "the catalogue": begins each message */
    const char *hint; /* what helps where it is damaged; NULL: nothing */
    /* Asked when the disk is full; true: there is room now, and the transaction is tried again. May be NULL.
     */
    bool (*more_room)(void *self, struct olv_error *err);
    void *self;
};

enum database_use {
    DATABASE_THERE, /* one that is there */
    DATABASE_MAKE,  /* one that is made (mode 0600) where there is none */
    DATABASE_LOOK /* one that is there, by somebody who has no reserve: a full disk has no room for the memory
                     that those who use it share, so there it is had alone meanwhile */
};

/* Opens the file of this name in the directory. False with OLV_STATE; err->sys is ENOENT where it is not
 * there. Close it in any case. */
bool database_open(struct database *database, const char *directory, const char *name, enum database_use use,
                   struct olv_error *err);
void database_close(struct database *database);

/* Makes sure that its tables are those of this version (`PRAGMA user_version`); where it is made, a file
 * without any gets them by `schema`. False with OLV_STATE where it is newer or older, or, where it is not,
 * with ENOENT where nothing is in it: a run that was cut short has made no more than the file. */
bool database_have_tables(const struct database *database, int version, const char *schema,
                          enum database_use use, struct olv_error *err);
/* Whether it is what was written, as far as SQLite's quick check tells. False with `err` where that cannot be
 * found out. */
bool database_check(const struct database *database, bool *is_sound, struct olv_error *err);

/* What SQLite says is wrong, as an error with OLV_STATE or OLV_MEMORY. Returns false. */
bool database_failed(const struct database *database, struct olv_error *err, const char *what);
bool database_run(const struct database *database, const char *sql, struct olv_error *err, const char *what);
bool database_prepare(const struct database *database, sqlite3_stmt **out, const char *sql,
                      struct olv_error *err);

/* ---- parameters ---- */

struct value {
    enum { VALUE_NULL, VALUE_INTEGER, VALUE_TEXT, VALUE_BYTES } type;
    int64_t n;      /* the integer; of bytes, how many */
    const void *at; /* borrowed until the statement is bound or finalized again */
};

static inline struct value value_of(int64_t n)
{
    return (struct value){VALUE_INTEGER, n, NULL};
}

/* NULL is NULL, of these three. */
static inline struct value value_text(const char *text)
{
    return (struct value){text ? VALUE_TEXT : VALUE_NULL, 0, text};
}

static inline struct value value_bytes(const void *bytes, size_t len)
{
    return (struct value){bytes ? VALUE_BYTES : VALUE_NULL, (int64_t)len, bytes};
}

/* The bytes of a string, which need not be text. */
static inline struct value value_string(const char *string)
{
    return value_bytes(string, string ? strlen(string) : 0);
}

/* NULL where there is none. */
static inline struct value value_if(bool is_there, int64_t n)
{
    return is_there ? value_of(n) : (struct value){VALUE_NULL, 0, NULL};
}

/* What a row knows a file again by, in three columns: its inode, and its time of birth, NULL where it has
 * none. */
#define VALUES_OF_FILE(file)                                                                                 \
    value_of((int64_t)(file)->inode), value_if((file)->has_born, (file)->born.s),                            \
        value_if((file)->has_born, (file)->born.ns)

#define VALUES(...)                                                                                          \
    (const struct value[]){__VA_ARGS__}, sizeof((const struct value[]){__VA_ARGS__}) / sizeof(struct value)

/* Runs one statement that gives no rows, once: `database_do(base, sql, VALUES(value_of(1)), err)`; in a
 * transaction of its own; or again and again, for which the caller has a statement that is NULL in the
 * beginning, and finalizes it. */
bool database_do(const struct database *database, const char *sql, const struct value *values, size_t count,
                 struct olv_error *err);
bool database_commit(const struct database *database, const char *sql, const struct value *values,
                     size_t count, struct olv_error *err);
bool database_put(const struct database *database, sqlite3_stmt **statement, const char *sql,
                  const struct value *values, size_t count, struct olv_error *err);
/* Asks, with such a statement, and goes to the first row; goes to the next one. OLV_YES: there it is. OLV_NO:
 * there is none (any more). OLV_UNKNOWN: `err` says why. A statement that is kept is reset when its rows were
 * read: it would keep a transaction from its end. */
enum olv_truth database_find(const struct database *database, sqlite3_stmt **statement, const char *sql,
                             const struct value *values, size_t count, struct olv_error *err);
enum olv_truth database_next(const struct database *database, sqlite3_stmt *statement, struct olv_error *err);

/* Reads a time of birth from that column and the next one; false where there is none. */
bool database_read_born(sqlite3_stmt *statement, int column, struct olv_instant *born);

/* ---- transactions ----
 *
 *     do
 *         ok = database_begin(base, err) && ...;
 *     while (database_again(base, &ok, err));
 *
 * is one transaction, brought to the disk if `ok`; else it is rolled back. Where the disk is full and
 * more_room finds some, all of it is done again. */
bool database_begin(const struct database *database, struct olv_error *err);
bool database_again(const struct database *database, bool *ok, struct olv_error *err);

#endif
