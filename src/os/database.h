/* SPDX-License-Identifier: Apache-2.0 */
/* A small SQLite database in the state directory, with a write-ahead log and every commit durable. A
 * connection belongs to one thread. */
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
    const char *hint; /* what helps if it is damaged; NULL: nothing */
    /* Called when the disk is full; true: there is room now, and the transaction is retried. May be NULL. */
    bool (*more_room)(void *self, struct olv_error *err);
    void *self;
};

enum database_use {
    DATABASE_THERE, /* an existing one */
    DATABASE_MAKE,  /* creates it (mode 0600) if missing */
    DATABASE_LOOK   /* an existing one, opened by somebody without a reserve: on a full disk there is no room
                       for the shared memory of its users, so it is locked for this one meanwhile */
};

/* Opens the file of this name in the directory. False with OLV_STATE; err->sys is ENOENT if it does not
 * exist. Close it in any case. */
bool database_open(struct database *database, const char *directory, const char *name, enum database_use use,
                   struct olv_error *err);
void database_close(struct database *database);

/* Makes sure that its tables have this version (`PRAGMA user_version`); with DATABASE_MAKE, an empty file
 * gets them from `schema`. False with OLV_STATE if it is newer or older; otherwise with ENOENT if it is
 * empty, because a cut-short run made no more than the file. */
bool database_have_tables(const struct database *database, int version, const char *schema,
                          enum database_use use, struct olv_error *err);
/* Whether it is undamaged by SQLite's quick check. False with `err` if that cannot be found out. */
bool database_check(const struct database *database, bool *is_sound, struct olv_error *err);

/* Turns SQLite's message into an error with OLV_STATE or OLV_MEMORY. Returns false. */
bool database_failed(const struct database *database, struct olv_error *err, const char *what);
bool database_run(const struct database *database, const char *sql, struct olv_error *err, const char *what);
bool database_prepare(const struct database *database, sqlite3_stmt **out, const char *sql,
                      struct olv_error *err);

/* ---- parameters ---- */

struct value {
    enum { VALUE_NULL, VALUE_INTEGER, VALUE_TEXT, VALUE_BYTES } type;
    int64_t n;      /* the integer; for bytes, their number */
    const void *at; /* valid until the statement is bound again or finalized */
};

static inline struct value value_of(int64_t n)
{
    return (struct value){VALUE_INTEGER, n, NULL};
}

/* A NULL argument becomes NULL in these three. */
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

/* NULL unless `is_there`. */
static inline struct value value_if(bool is_there, int64_t n)
{
    return is_there ? value_of(n) : (struct value){VALUE_NULL, 0, NULL};
}

/* The three columns that identify a file: inode and birth time, NULL if it has none. */
#define VALUES_OF_FILE(file)                                                                                 \
    value_of((int64_t)(file)->inode), value_if((file)->has_born, (file)->born.s),                            \
        value_if((file)->has_born, (file)->born.ns)

#define VALUES(...)                                                                                          \
    (const struct value[]){__VA_ARGS__}, sizeof((const struct value[]){__VA_ARGS__}) / sizeof(struct value)

/* Runs a statement without rows: once, `database_do(base, sql, VALUES(value_of(1)), err)`; in a transaction
 * of its own; or repeatedly with a kept statement, which starts as NULL and which the caller finalizes. */
bool database_do(const struct database *database, const char *sql, const struct value *values, size_t count,
                 struct olv_error *err);
bool database_commit(const struct database *database, const char *sql, const struct value *values,
                     size_t count, struct olv_error *err);
bool database_put(const struct database *database, sqlite3_stmt **statement, const char *sql,
                  const struct value *values, size_t count, struct olv_error *err);
/* Binds such a statement and steps to the first row; steps to the next one. OLV_YES: there is one. OLV_NO:
 * there is none (any more). OLV_UNKNOWN: see `err`. Reset a kept statement after reading its rows, or it
 * keeps a transaction open. */
enum olv_truth database_find(const struct database *database, sqlite3_stmt **statement, const char *sql,
                             const struct value *values, size_t count, struct olv_error *err);
enum olv_truth database_next(const struct database *database, sqlite3_stmt *statement, struct olv_error *err);

/* Reads a birth time from this column and the next; false if there is none. */
bool database_read_born(sqlite3_stmt *statement, int column, struct olv_instant *born);

/* ---- transactions ----
 *
 *     do
 *         ok = database_begin(base, err) && ...;
 *     while (database_again(base, &ok, err));
 *
 * is one transaction, durable if `ok`, otherwise rolled back. If the disk is full and more_room finds some,
 * it is all retried. */
bool database_begin(const struct database *database, struct olv_error *err);
/* How many rows the last statement changed. */
int64_t database_changes(const struct database *database);
bool database_again(const struct database *database, bool *ok, struct olv_error *err);

#endif
