/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the parts of the register. */
#ifndef OLV_STATE_REGISTER_PARTS_H
#define OLV_STATE_REGISTER_PARTS_H

#include "base/arena.h"
#include "base/digest.h"
#include "os/database.h"
#include "state/register.h"

/* A row of `given`, in memory. */
struct given_row {
    uint64_t entry;
    struct given file;
    bool is_spared;
    int64_t until_s;
    uint8_t path[OLV_SHA256_SIZE];
};

struct given_list {
    struct given_row *items; /* owned */
    size_t count, cap;
};

/* A row of `emptied`, in memory: a directory before and after. */
struct emptied_row {
    const char *path; /* in the arena */
    struct olv_stat before, after;
    bool is_settled; /* `before` is what was noted */
};

/* A level that is set, or lifted, in memory. */
struct protected_row {
    struct olv_protected row; /* strings in the arena */
    bool is_forgotten;
};

/* A file whose attributes an act changed. */
struct marked_row {
    const char *path; /* in the arena */
    uint64_t inode;
    struct olv_instant born, before, after; /* its ctime */
};

struct olv_register {
    struct database base;
    struct olv_hasher *hasher;
    struct given_list given; /* not stored yet, like these */
    struct olv_had *had;     /* owned; paths are in the arena */
    size_t had_count, had_cap;
    struct emptied_row *emptied; /* owned */
    size_t emptied_count, emptied_cap;
    struct protected_row *protected; /* owned */
    size_t protected_count, protected_cap;
    struct marked_row *marked; /* owned */
    size_t marked_count, marked_cap;
    struct olv_arena strings;
    /* Whether any stored file may be spared; OLV_UNKNOWN: not asked yet. Only the run that holds the state
     * directory stores any, so OLV_NO stays true until it does. */
    enum olv_truth has_spared;
    /* The same for acts, directories, levels, and times. */
    enum olv_truth has_had, has_emptied, has_protected, has_marked;
    sqlite3_stmt *find_entry, *find_path, *find_spared, *find_had, *find_had_file, *find_emptied,
        *find_protected, *find_marked;
};

/* A row that is looked at again. */
struct looked_at {
    struct olv_register *reg;
    struct olv_instant now;
    sqlite3_stmt *row;       /* its columns are valid during the call */
    const char *path;        /* of it */
    sqlite3_stmt *put, *out; /* for the callee: finalized in the end */
};
/* Calls `each` for rows that were not looked at for a day. `sql` selects them, earlier than ?1, at most ?2;
 * one column is the path. */
bool look_again(struct olv_register *reg, struct olv_instant now, const char *sql, int path_column,
                bool (*each)(struct looked_at *row, struct olv_error *err), struct olv_error *err);

/* Within a transaction. */
bool given_put_all(struct olv_register *reg, const char *run, struct olv_instant now, struct olv_error *err);
bool had_put_all(struct olv_register *reg, struct olv_instant now, struct olv_error *err);
bool had_tidy(struct olv_register *reg, struct olv_instant now, struct olv_error *err);
bool emptied_put_all(struct olv_register *reg, struct olv_instant now, struct olv_error *err);
bool emptied_tidy(struct olv_register *reg, struct olv_instant now, struct olv_error *err);
bool protected_put_all(struct olv_register *reg, struct olv_instant now, struct olv_error *err);
bool protected_tidy(struct olv_register *reg, struct olv_instant now, struct olv_error *err);
bool marked_put_all(struct olv_register *reg, struct olv_instant now, struct olv_error *err);
bool marked_tidy(struct olv_register *reg, struct olv_instant now, struct olv_error *err);

#endif
