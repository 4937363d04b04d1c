/* SPDX-License-Identifier: Apache-2.0 */
/* make_ledger STATE LINES DIRECTORIES: a ledger of one run with LINES outcomes, as `enforce` writes them, in
 * batches with a checkpoint every so often. Written through the library itself, for its format is what is
 * measured. */
#include "act/acts.h"
#include "ledger/ledger.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/stat.h>

enum { CHECKPOINT_EVERY = 50000 };

static void add(struct olv_ledger *ledger, unsigned long i, unsigned long directories)
{
    char path[160], name[64];
    struct olv_docket_entry e = {
        .number = (uint32_t)(i % 4096), .step = 1, .rule_name = "gauge-readings", .act = &act_discard};
    e.identity.size_bytes = i % 100000;
    e.identity.modified = (struct olv_instant){1700000000 + (int64_t)i, 123456789};
    e.due = e.identity.modified;
    snprintf(name, sizeof name, "gauge-%07lu.csv", i);
    snprintf(path, sizeof path, "/srv/tides/readings/day-%04lu/%s", i * directories / 1000000 % directories,
             name);
    olv_ledger_outcome(ledger, &(struct olv_outcome_facts){.run = "20261123-1405-abcd",
                                                           .batch = i / 4096 + 1,
                                                           .entry = &e,
                                                           .result = "done",
                                                           .reason = "",
                                                           .trash = name,
                                                           .trash_place = "",
                                                           .path = path});
}

int main(int argc, char **argv)
{
    struct olv_error err = {0};
    struct olv_ledger *ledger;
    unsigned long lines, directories;
    int state;
    if (argc != 4)
        return 2;
    lines = strtoul(argv[2], NULL, 10);
    directories = strtoul(argv[3], NULL, 10);
    mkdir(argv[1], 0700);
    state = open(argv[1], O_RDONLY | O_DIRECTORY);
    ledger = olv_ledger_open(state, &err);
    for (unsigned long i = 0; ledger && i < lines; i++) {
        add(ledger, i, directories);
        if ((i + 1) % CHECKPOINT_EVERY == 0 || i + 1 == lines)
            if (!olv_ledger_sync(ledger, &err) || !olv_ledger_checkpoint(ledger, &err))
                break;
    }
    if (err.code != OLV_OK)
        fprintf(stderr, "make_ledger: %s\n", err.what);
    olv_ledger_close(ledger);
    return err.code != OLV_OK;
}
