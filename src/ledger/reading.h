/* SPDX-License-Identifier: Apache-2.0 */
/* What everything that reads the ledger shares: opening it, and making a record of a line. */
#ifndef OLV_LEDGER_READING_H
#define OLV_LEDGER_READING_H

#include "olvido/ledger.h"
#include "olvido/text.h"

struct reading {
    bool (*each)(void *self, const struct olv_ledger_record *record);
    void *self;
    struct olv_text path, trash, trash_place, reason; /* scratch of the record under way */
};

void reading_free(struct reading *reading);
/* The ledger's directory of a state directory; -1 with `err`. */
int ledger_open_directory(const char *state, struct olv_error *err);
/* Makes a record of the line and calls `each`. False to stop: asked to, or (then err->code is set) the line
 * cannot be read. `name` and `at` say where it stands (0: not known). */
bool reading_line(struct reading *reading, const char *line, size_t len, const char *name, uint64_t at,
                  struct olv_error *err);

#endif
