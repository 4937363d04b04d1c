/* SPDX-License-Identifier: Apache-2.0 */
/* What tables remember of files goes when it says nothing any more: a few rows are looked at again when a run
 * ends, those first that were not looked at for longest. */
#include "state/register_parts.h"

enum { LOOKED_S = 86400, LOOKED_MOST = 4096 };

bool look_again(struct olv_register *r, struct olv_instant now, const char *sql, int path_column,
                bool (*each)(struct looked_at *row, struct olv_error *err), struct olv_error *err)
{
    struct looked_at at = {.reg = r, .now = now};
    struct olv_text path = {0};
    bool ok = true;
    enum olv_truth row =
        database_find(&r->base, &at.row, sql, VALUES(value_of(now.s - LOOKED_S), value_of(LOOKED_MOST)), err);
    for (; ok && row == OLV_YES; row = database_next(&r->base, at.row, err)) {
        olv_text_clear(&path);
        olv_text_add(&path, sqlite3_column_blob(at.row, path_column),
                     (size_t)sqlite3_column_bytes(at.row, path_column));
        at.path = olv_text_string(&path);
        ok = path.failed ? olv_fail_memory(err) : each(&at, err);
    }
    sqlite3_finalize(at.row);
    sqlite3_finalize(at.put);
    sqlite3_finalize(at.out);
    olv_text_free(&path);
    return ok && row == OLV_NO;
}
