/* SPDX-License-Identifier: Apache-2.0 */
/* Reading and verifying the audit ledger. docs/formats/ledger.md describes its files byte by byte. */
#ifndef OLVIDO_LEDGER_H
#define OLVIDO_LEDGER_H

#include "olvido/calendar.h"
#include "olvido/error.h"
#include "olvido/observer.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* One line. Strings are borrowed, and "" if the line has no such member. */
struct olv_ledger_record {
    uint64_t line;
    const char *json; /* the whole line */
    size_t json_len;
    const char *time; /* RFC 3339 */
    const char *kind; /* begin, intent, outcome, end, archive, removal, repair */
    const char *run;
    const char *command; /* of `begin` */
    const char *rule, *act, *result, *reason;
    const char *path;        /* raw bytes; "" if the name was removed from the ledger */
    const char *into;        /* the file that now has its contents; raw bytes */
    const char *trash;       /* the item's name in the trash; raw bytes */
    const char *trash_place; /* the path of that trash; "": the home trash */
    uint64_t size_bytes;
    uint64_t batch, entry;                /* of an intent or outcome */
    uint64_t files;                       /* of an outcome: 1, or how many are in the directory */
    uint64_t decisions;                   /* of an intent: how many decisions it commits to */
    uint64_t done, left, failed, unknown; /* of `end`; refused ones count as left */
    const char *id, *manifest; /* of an archive, in hex: its own id, and the SHA-256 of its manifest */
    uint64_t length, members;  /* of an archive */
};

/* What to look for; members that are NULL or 0 match everything. */
struct olv_ledger_query {
    const char *kind, *run, *rule;
    const char *path; /* absolute: matches lines about it and about everything below it */
    const char *const *acts, *const *results;
    size_t act_count, result_count;
    bool has_since, has_until;
    struct olv_instant since, until; /* from the first, before the second */
    bool without_names;              /* skips paths, reasons and the like: they are "" */
};

/* What `result` may be; ends with NULL. */
extern const char *const olv_ledger_results[];

/* Whether it has a line of this run. */
bool olv_ledger_has_run(const char *state, const char *run);
/* Calls `each` for every line that matches the whole query, from the first on, until it returns false. False
 * if the ledger cannot be read or a line is not JSON; err->sys is ENOENT without a ledger. Uses the index of
 * closed volumes. */
bool olv_ledger_search(const char *state, const struct olv_ledger_query *query,
                       bool (*each)(void *self, const struct olv_ledger_record *record), void *self,
                       struct olv_error *err);

enum olv_ledger_fault {
    OLV_LEDGER_SOUND,
    OLV_LEDGER_ALTERED,    /* the line differs from what was written */
    OLV_LEDGER_REMOVED,    /* a line is missing here */
    OLV_LEDGER_ADDED,      /* Olvido did not write this line */
    OLV_LEDGER_REORDERED,  /* this line belongs elsewhere */
    OLV_LEDGER_CHECKPOINT, /* the checkpoint is missing, or its signature does not verify */
    OLV_LEDGER_HASHES,     /* the stored hashes do not match the checkpoint */
    OLV_LEDGER_DOCKET,     /* the docket that this intent commits to is missing or altered */
    OLV_LEDGER_INDEX,      /* an index does not match its volume's lines, so queries may miss some */
    OLV_LEDGER_AGAINST     /* a checkpoint kept elsewhere is not one of this ledger */
};

struct olv_ledger_report {
    enum olv_ledger_fault fault;
    uint64_t against;       /* lines covered by the checkpoint kept elsewhere */
    uint64_t fault_line;    /* of a fault about a line: its number, from 0 */
    char fault_file[64];    /* the file it is in, within the state directory */
    uint64_t fault_at;      /* its line number in that file, from 1 */
    char detail[200];       /* in words */
    uint64_t lines;         /* read */
    uint64_t covered;       /* lines covered by the checkpoint */
    uint64_t removed_names; /* lines whose names were removed, which breaks nothing */
    uint64_t segments;      /* docket segments compared */
    bool is_open;           /* a run has begun and not ended, */
    bool is_at_work; /* and somebody is at work; otherwise it was cut short, and the next one settles it */
    uint64_t
        torn_bytes; /* behind the last whole line: being written, or cut short; the next run cuts them off */
    char origin[64], root[65];
};

/* Reads everything back. True if the check could be made; the report has the finding. `against` is the path
 * of a copy of an earlier or current checkpoint kept elsewhere (NULL: none): the lines it covers must still
 * be the first ones of this ledger (consistency: RFC 9162, section 2.1.4). */
bool olv_ledger_verify(const char *state, const char *against, const struct olv_observer *observer,
                       struct olv_ledger_report *report, struct olv_error *err);

#endif
