/* SPDX-License-Identifier: Apache-2.0 */
/* What the parts of the catalogue share: catalogue.c puts, stored.c reads, had.c remembers steps. */
#ifndef OLV_DEPOT_CATALOGUE_PARTS_H
#define OLV_DEPOT_CATALOGUE_PARTS_H

#include "depot/catalogue.h"

#include <sqlite3.h>

struct olv_catalogue {
    sqlite3 *db;
    sqlite3_stmt *put_member, *put_directory, *find_directory;
    int64_t archive; /* under way: its id */
    char *directory; /* of the member put last; owned */
    int64_t directory_id;
    bool is_under_way;
    sqlite3_stmt *find_had, *put_had; /* see had.c */
};

/* What SQLite says is wrong, as an error. Returns false. */
bool catalogue_failed(const struct olv_catalogue *catalogue, struct olv_error *err, const char *what);
bool catalogue_run(struct olv_catalogue *catalogue, const char *sql, struct olv_error *err, const char *what);
bool catalogue_prepare(struct olv_catalogue *catalogue, sqlite3_stmt **out, const char *sql,
                       struct olv_error *err);

#endif
