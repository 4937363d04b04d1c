/* SPDX-License-Identifier: Apache-2.0 */
/* SQLite, in one file. Members are keyed by directory and name, which is the order in which they arrive, so
 * that a million of them are appended, not scattered. */
#include "base/grow.h"
#include "depot/catalogue_parts.h"

#include <stdlib.h>
#include <string.h>

enum { VERSION = 7 };

static const char NAME[] = "catalogue.db";

static const char schema[] =
    "CREATE TABLE depot (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, path BLOB NOT NULL);"
    "CREATE TABLE archive (id INTEGER PRIMARY KEY, state INTEGER NOT NULL, uid BLOB NOT NULL,"
    " depot INTEGER NOT NULL, name BLOB NOT NULL, temporary BLOB NOT NULL, inode INTEGER, born_s INTEGER,"
    " born_ns INTEGER, run TEXT NOT NULL,"
    " rule TEXT NOT NULL, codec TEXT NOT NULL, made_s INTEGER NOT NULL, made_ns INTEGER NOT NULL,"
    " length INTEGER NOT NULL, members INTEGER NOT NULL, bytes INTEGER NOT NULL, manifest INTEGER NOT NULL,"
    " end_xxh3 INTEGER NOT NULL, manifest_sha256 BLOB, is_recorded INTEGER NOT NULL, manner BLOB,"
    " UNIQUE (depot, name));"
    "CREATE TABLE frame (archive INTEGER NOT NULL, number INTEGER NOT NULL, begins INTEGER NOT NULL,"
    " length INTEGER NOT NULL, plain INTEGER NOT NULL, check_xxh3 INTEGER NOT NULL, at INTEGER NOT NULL,"
    " packed_xxh3 INTEGER NOT NULL, PRIMARY KEY (archive, number)) WITHOUT ROWID;"
    "CREATE TABLE directory (id INTEGER PRIMARY KEY, path BLOB NOT NULL UNIQUE);"
    "CREATE TABLE member (directory INTEGER NOT NULL, name BLOB NOT NULL, archive INTEGER NOT NULL,"
    " at INTEGER NOT NULL, frame INTEGER NOT NULL, kind INTEGER NOT NULL, size INTEGER NOT NULL,"
    " modified_s INTEGER NOT NULL, modified_ns INTEGER NOT NULL, mode INTEGER NOT NULL, uid INTEGER NOT NULL,"
    " gid INTEGER NOT NULL, digest BLOB, link BLOB NOT NULL,"
    " accessed_s INTEGER NOT NULL, accessed_ns INTEGER NOT NULL, clock TEXT, clock_s INTEGER,"
    " clock_ns INTEGER, was_name BLOB, was_size INTEGER, header BLOB, PRIMARY KEY (directory, name, archive, "
    "at))"
    " WITHOUT ROWID;"
    "CREATE INDEX member_in_archive ON member (archive, at);"
    "PRAGMA user_version = 7;";

/* Numbers in a catalogue keep their meaning for ever. */
_Static_assert(OLV_ARCHIVE_MAKING == 0 && OLV_ARCHIVE_LIVE == 1 && OLV_ARCHIVE_GOING == 2, "states on disks");
_Static_assert(OLV_CODEC_NONE == 0 && OLV_CODEC_GZIP == 1 && OLV_CODEC_BZIP2 == 2 && OLV_CODEC_XZ == 3 &&
                   OLV_CODEC_ZSTD == 4 && OLV_CODEC_ZIP == 5,
               "codecs on disks");
_Static_assert(OLV_CLOCK_CHANGED == 2 && OLV_CLOCK_BORN == 3, "clocks on disks");

const char *olv_archive_state_word(enum olv_archive_state state)
{
    static const char *const words[] = {"making", "live", "going"};
    return words[state];
}

/* ---- opening ---- */

struct olv_catalogue *catalogue_open_as(const char *directory, const char *name, enum database_use use,
                                        struct olv_error *err)
{
    struct olv_catalogue *c = allocate(sizeof *c, err);
    if (!c)
        return NULL;
    c->base.what = "the catalogue";
    c->base.hint = "`olvido depot rebuild` rebuilds it from the archives";
    if (database_open(&c->base, directory, name, use, err) &&
        database_have_tables(&c->base, VERSION, schema, use, err))
        return c;
    olv_catalogue_close(c);
    return NULL;
}

struct olv_catalogue *catalogue_open(const char *state, enum database_use use, struct olv_error *err)
{
    return catalogue_open_as(state, NAME, use, err);
}

bool catalogue_check(struct olv_catalogue *c, bool *is_sound, struct olv_error *err)
{
    return database_check(&c->base, is_sound, err);
}

void catalogue_on_full(struct olv_catalogue *c, bool (*more_room)(void *self, struct olv_error *err),
                       void *self)
{
    c->base.more_room = more_room;
    c->base.self = self;
}

bool catalogue_copy(struct olv_catalogue *from, struct olv_catalogue *to, struct olv_error *err)
{
    sqlite3_backup *copy = sqlite3_backup_init(to->base.db, "main", from->base.db, "main");
    int code = copy ? sqlite3_backup_step(copy, -1) : SQLITE_ERROR;
    sqlite3_backup_finish(copy);
    return code == SQLITE_DONE || database_failed(&to->base, err, "cannot bring in what was read");
}

struct olv_catalogue *olv_catalogue_open(const char *state, struct olv_error *err)
{
    return catalogue_open(state, DATABASE_LOOK, err);
}

void olv_catalogue_close(struct olv_catalogue *c)
{
    if (!c)
        return;
    catalogue_drop_pending(c);
    database_close(&c->base);
    free(c);
}
