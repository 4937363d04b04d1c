/* SPDX-License-Identifier: Apache-2.0 */
/* A small database of the state directory: one SQLite file, with a write-ahead log, and every commit on the
 * disk. A connection belongs to one thread. */
#ifndef OLV_OS_DATABASE_H
#define OLV_OS_DATABASE_H

#include "olvido/entry.h"
#include "olvido/error.h"

#include <sqlite3.h>
#include <stdbool.h>

struct database {
    sqlite3 *db;
    const char *what; /* "the catalogue": begins each message */
    const char *hint; /* what helps where it is damaged; NULL: nothing */
    /* Asked when the disk is full; true: there is room now, and the transaction is tried again. May be NULL.
     */
    bool (*more_room)(void *self, struct olv_error *err);
    void *self;
};

/* Opens the file of this name in the directory; with `create` it is made (mode 0600). False with OLV_STATE;
 * err->sys is ENOENT where it is not there. Close it in any case. */
bool database_open(struct database *database, const char *directory, const char *name, bool create,
                   struct olv_error *err);
void database_close(struct database *database);

/* Makes sure that its tables are those of this version (`PRAGMA user_version`); with `create`, a file without
 * any gets them by `schema`. False with OLV_STATE where it is newer or older, or, without `create`, with
 * ENOENT where nothing is in it: a run that was cut short has made no more than the file. */
bool database_have_tables(const struct database *database, int version, const char *schema, bool create,
                          struct olv_error *err);
/* Whether it is what was written, as far as SQLite's quick check tells. False with `err` where that cannot be
 * found out. */
bool database_check(const struct database *database, bool *is_sound, struct olv_error *err);

/* What SQLite says is wrong, as an error with OLV_STATE or OLV_MEMORY. Returns false. */
bool database_failed(const struct database *database, struct olv_error *err, const char *what);
bool database_run(const struct database *database, const char *sql, struct olv_error *err, const char *what);
bool database_prepare(const struct database *database, sqlite3_stmt **out, const char *sql,
                      struct olv_error *err);
/* Runs a statement that gives no rows. */
bool database_step(const struct database *database, sqlite3_stmt *statement, struct olv_error *err);
/* What a row knows a file again by, in three columns: its inode, and its time of birth, NULL where it has
 * none. Binds them from that parameter on; reads the time from the second of them on, false where there is
 * none. */
void database_bind_file(sqlite3_stmt *statement, int parameter, const struct olv_stat *file);
bool database_read_born(sqlite3_stmt *statement, int column, struct olv_instant *born);
/* Does `work` in one transaction and brings it to the disk; what fails is rolled back. Where the disk is full
 * and more_room finds some, all of it is done again. */
bool database_write(const struct database *database, bool (*work)(void *self, struct olv_error *err),
                    void *self, struct olv_error *err);

#endif
