/* SPDX-License-Identifier: Apache-2.0 */
/* Appends to the ledger. One appender at a time: the caller holds the lock of the state directory. */
#ifndef OLV_LEDGER_LEDGER_H
#define OLV_LEDGER_LEDGER_H

#include "olvido/docket.h"
#include "olvido/error.h"
#include "olvido/ledger.h"

struct olv_ledger;

/* Opens (or starts) the ledger of an open state directory, after comparing its end with its checkpoint: a
 * torn line beyond the checkpoint is cut off and the repair recorded; anything worse is OLV_BROKEN. */
struct olv_ledger *olv_ledger_open(int state, struct olv_error *err);
void olv_ledger_close(struct olv_ledger *ledger);

/* The time of the last line when the ledger was opened; 0: there was none. */
struct olv_instant olv_ledger_last_time(const struct olv_ledger *ledger);

struct olv_run_facts {
    const char *run, *command;
    const char *policy_path;      /* NULL by hand */
    const uint8_t *policy_digest; /* 32 bytes; NULL by hand */
};

struct olv_intent_facts {
    const char *run;
    uint64_t batch, decisions;
    uint8_t segment[32]; /* SHA-256 of the docket segment */
};

struct olv_outcome_facts {
    const char *run;
    uint64_t batch;
    const struct olv_docket_entry *entry;
    const char *result;      /* done, told, left, failed */
    const char *reason;      /* may be "" */
    const char *trash;       /* the item's name in the trash, or "" */
    const char *trash_place; /* the path of that trash, unless it is the home trash; or "" */
    const char *path;        /* where the file was (or is, if recovered) */
    const char *into;        /* the path of the file that now has its contents, or "" */
    const uint8_t *digest;   /* SHA-256 of its contents, 32 bytes; NULL: not read */
    bool has_packed;         /* whether `packed_bytes`, the current size of its contents, is known */
    uint64_t packed_bytes;
    bool is_settled; /* found out after a crash */
};

struct olv_end_facts {
    const char *run, *result; /* finished, stopped, interrupted, failed */
    uint64_t done, left, failed, unknown;
};

/* Each adds one line in memory; nothing is on disk before it is written, and failures show then. */
void olv_ledger_begin_run(struct olv_ledger *ledger, const struct olv_run_facts *facts);
void olv_ledger_intent(struct olv_ledger *ledger, const struct olv_intent_facts *facts);
void olv_ledger_outcome(struct olv_ledger *ledger, const struct olv_outcome_facts *facts);
void olv_ledger_end_run(struct olv_ledger *ledger, const struct olv_end_facts *facts);
/* An archive that could not be removed in its turn is gone now: removed by us, or not. */
void olv_ledger_removal(struct olv_ledger *ledger, const char *run, const char *archive, bool is_by_us);
/* A published archive. */
struct olv_archive_facts {
    const char *run, *path;
    const uint8_t *id; /* its own id: 16 bytes */
    uint64_t length, members;
    const uint8_t *manifest; /* SHA-256 of its manifest */
};
void olv_ledger_archive(struct olv_ledger *ledger, const struct olv_archive_facts *facts);

/* What was added so far is what olv_ledger_write writes and fsyncs; another thread may add lines meanwhile.
 * After a failure nothing of it is in the file, and it may be retried. */
void olv_ledger_collect(struct olv_ledger *ledger);
bool olv_ledger_write(struct olv_ledger *ledger, struct olv_error *err);
/* Both. */
bool olv_ledger_sync(struct olv_ledger *ledger, struct olv_error *err);
/* Signs the tree as of the last sync, and makes hashes and checkpoint durable. Closes a full volume, and
 * indexes it on another thread. */
bool olv_ledger_checkpoint(struct olv_ledger *ledger, struct olv_error *err);
bool olv_ledger_is_volume_full(const struct olv_ledger *ledger);

/* Whether there is no ledger, though runs were recorded in one: `state` is the open state directory, `path`
 * its path. Then `err` is set (OLV_BROKEN). */
bool ledger_is_lost(int state, const char *path, struct olv_error *err);

#endif
