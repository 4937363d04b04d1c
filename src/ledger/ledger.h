/* SPDX-License-Identifier: Apache-2.0 */
/* Appending to the ledger. One appender at a time: the caller holds the lock of the state directory. */
#ifndef OLV_LEDGER_LEDGER_H
#define OLV_LEDGER_LEDGER_H

#include "olvido/docket.h"
#include "olvido/error.h"
#include "olvido/ledger.h"

struct olv_ledger;

/* Opens (or begins) the ledger of an open state directory, after comparing its end with its checkpoint: a
 * torn tail above the checkpoint is cut off and the repair recorded; anything worse is OLV_BROKEN. */
struct olv_ledger *olv_ledger_open(int state, struct olv_error *err);
void olv_ledger_close(struct olv_ledger *ledger);

/* When the last line was written that was there when the ledger was opened; 0: there was none. */
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
    const char *trash_place; /* the path of that trash, where it is not the home trash; or "" */
    const char *path;        /* where the file was (or, recovered, is) */
    const char *into;        /* the path of the file that has its contents now, or "" */
    const uint8_t *digest;   /* SHA-256 of its contents, 32 bytes; NULL: it was not read */
    bool has_packed;         /* whether `packed_bytes` is known: what its contents take now */
    uint64_t packed_bytes;
    bool is_settled; /* found out after a crash, by looking */
};

struct olv_end_facts {
    const char *run, *result; /* finished, stopped, interrupted, failed */
    uint64_t done, left, failed, unknown;
};

/* Each adds one line in memory; nothing is on disk before it is written. Failures show there. */
void olv_ledger_begin_run(struct olv_ledger *ledger, const struct olv_run_facts *facts);
void olv_ledger_intent(struct olv_ledger *ledger, const struct olv_intent_facts *facts);
void olv_ledger_outcome(struct olv_ledger *ledger, const struct olv_outcome_facts *facts);
void olv_ledger_end_run(struct olv_ledger *ledger, const struct olv_end_facts *facts);
/* An archive that could not be removed when its time had come is not there any more: by us, or not by us. */
void olv_ledger_removal(struct olv_ledger *ledger, const char *run, const char *archive, bool is_by_us);
/* An archive that was published. */
struct olv_archive_facts {
    const char *run, *path;
    const uint8_t *id; /* its own: 16 bytes */
    uint64_t length, members;
    const uint8_t *manifest; /* SHA-256 of its manifest */
};
void olv_ledger_archive(struct olv_ledger *ledger, const struct olv_archive_facts *facts);

/* What was added up to now is what olv_ledger_write writes and brings to the disk; another thread may add
 * lines meanwhile. After a failure nothing of it is in the file, and it may be tried again. */
void olv_ledger_collect(struct olv_ledger *ledger);
bool olv_ledger_write(struct olv_ledger *ledger, struct olv_error *err);
/* Both. */
bool olv_ledger_sync(struct olv_ledger *ledger, struct olv_error *err);
/* Signs the tree as it is after the last sync, and brings the hashes and the checkpoint to the disk. A full
 * volume is closed by it, and its index made in another thread. */
bool olv_ledger_checkpoint(struct olv_ledger *ledger, struct olv_error *err);
bool olv_ledger_is_volume_full(const struct olv_ledger *ledger);

#endif
