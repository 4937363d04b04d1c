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

/* One line. Strings are borrowed, and "" where the line has no such member. */
struct olv_ledger_record {
    uint64_t line;
    const char *json; /* the whole line */
    size_t json_len;
    const char *time; /* RFC 3339 */
    const char *kind; /* begin, intent, outcome, end, archive, removal, repair */
    const char *run;
    const char *command; /* of a begin */
    const char *rule, *act, *result, *reason;
    const char *path;        /* raw bytes; "" when the name was taken out of the ledger */
    const char *trash;       /* the item's name in the trash; raw bytes */
    const char *trash_place; /* the path of that trash; "": the home trash */
    uint64_t size_bytes;
    uint64_t batch, entry;                /* of an intent or an outcome */
    uint64_t decisions;                   /* of an intent: how many it commits to */
    uint64_t done, left, failed, unknown; /* of an end; what was refused counts as left */
    const char *id, *manifest;            /* of an archive, in hex: its own id, and SHA-256 of its manifest */
    uint64_t length, members;             /* of an archive */
};

/* What to look for; members that are NULL or 0 ask for nothing. */
struct olv_ledger_query {
    const char *kind, *run, *rule;
    const char *path; /* absolute: lines about it, and about what was below it */
    const char *const *acts, *const *results;
    size_t act_count, result_count;
    bool has_since, has_until;
    struct olv_instant since, until; /* from the first, and before the second */
    bool without_names;              /* paths, reasons and the like are not read: they are "" */
};

/* Whether it has a line of this run. */
bool olv_ledger_has_run(const char *state, const char *run);
/* Calls `each` for every line from the first that fits all of the query; stops when it returns false. False
 * when the ledger cannot be read or a line is no JSON; err->sys is ENOENT when there is no ledger. Uses the
 * index of closed volumes. */
bool olv_ledger_search(const char *state, const struct olv_ledger_query *query,
                       bool (*each)(void *self, const struct olv_ledger_record *record), void *self,
                       struct olv_error *err);

enum olv_ledger_fault {
    OLV_LEDGER_SOUND,
    OLV_LEDGER_ALTERED,    /* the line is not what was written */
    OLV_LEDGER_REMOVED,    /* the line that was here is gone */
    OLV_LEDGER_ADDED,      /* this line was not written by Olvido */
    OLV_LEDGER_REORDERED,  /* this line belongs elsewhere */
    OLV_LEDGER_CHECKPOINT, /* the checkpoint is missing, or its signature is not good */
    OLV_LEDGER_HASHES,     /* the stored hashes are not those of the checkpoint */
    OLV_LEDGER_DOCKET,     /* the docket that this intent commits to is missing or altered */
    OLV_LEDGER_INDEX,      /* an index is not what its volume's lines make, so queries may miss some */
    OLV_LEDGER_AGAINST     /* a checkpoint that was kept elsewhere is not one of this ledger */
};

struct olv_ledger_report {
    enum olv_ledger_fault fault;
    uint64_t against;       /* lines that the checkpoint kept elsewhere covers */
    uint64_t fault_line;    /* where the fault is about a line: its number, from 0 */
    char fault_file[64];    /* and the file it stands in, within the state directory */
    uint64_t fault_at;      /* and which line of that file, from 1 */
    char detail[200];       /* in words */
    uint64_t lines;         /* read */
    uint64_t covered;       /* by the checkpoint */
    uint64_t removed_names; /* lines whose names were taken out, which breaks nothing */
    uint64_t segments;      /* docket segments compared */
    bool is_open;           /* a run was cut short; the next one will settle it */
    char origin[64], root[65];
};

/* Reads everything back. True when it could be examined, whatever was found; the finding is in the report.
 * `against` is the path of a copy of a checkpoint, of now or of earlier, that was kept elsewhere (NULL:
 * none): the lines that it covers must be the first ones of this ledger still (consistency: RFC 9162, section
 * 2.1.4). */
bool olv_ledger_verify(const char *state, const char *against, const struct olv_observer *observer,
                       struct olv_ledger_report *report, struct olv_error *err);

#endif
