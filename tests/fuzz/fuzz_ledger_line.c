/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as a line of the ledger: a record whose strings are all there, or an error with words. */
#include "fuzz.h"
#include "ledger/reading.h"

#include <string.h>

static bool each(void *self, const struct olv_ledger_record *r)
{
    const char *const words[] = {r->kind, r->run, r->act, r->result, r->rule, r->time, r->path, r->reason};
    size_t *seen = self;
    for (size_t i = 0; i < sizeof words / sizeof *words; i++) {
        must(words[i]);
        *seen += strlen(words[i]) + 1;
    }
    return true;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    size_t seen = 0;
    struct reading reading = {.each = each, .self = &seen};
    struct olv_error err = {0};
    char *line = malloc(size + 1);
    bool ok;
    memcpy(line, data, size);
    line[size] = '\0';
    ok = reading_line(&reading, line, size, "lines-000000000000.jsonl", 1, &err);
    must(ok ? seen > 0 : err.code != OLV_OK && *err.what);
    reading_free(&reading);
    free(line);
    return 0;
}
