/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by everything that reads the ledger: opening it, and turning a line into a record. */
#ifndef OLV_LEDGER_READING_H
#define OLV_LEDGER_READING_H

#include "olvido/ledger.h"
#include "olvido/text.h"

struct reading {
    bool (*each)(void *self, const struct olv_ledger_record *record);
    void *self;
    struct olv_text path, into, trash, trash_place, reason; /* scratch for the current record */
};

void reading_free(struct reading *reading);
/* Opens the ledger's directory in a state directory; -1 with `err`: ENOENT if nothing has been done yet. */
int ledger_open_directory(const char *state, struct olv_error *err);
/* The same below an open state directory; `path` is its path. */
int ledger_open_below(int state, const char *path, struct olv_error *err);
/* The id of the open run, by runs/open below an open state directory; "": there is none. False with `err`. */
enum { LEDGER_RUN_SIZE = 64 };
bool ledger_open_run(int state, char run[LEDGER_RUN_SIZE], struct olv_error *err);
/* Turns the line into a record and calls `each`. False to stop: `each` returned false, or (then err->code is
 * set) the line cannot be read. `name` and `at` say where it is (0: unknown). */
bool reading_line(struct reading *reading, const char *line, size_t len, const char *name, uint64_t at,
                  struct olv_error *err);

#endif
