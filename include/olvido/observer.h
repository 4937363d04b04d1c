/* SPDX-License-Identifier: Apache-2.0 */
/* The core prints nothing and asks nothing: it tells an observer what is going on, and the front end draws
 * it. */
#ifndef OLVIDO_OBSERVER_H
#define OLVIDO_OBSERVER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum olv_trouble_kind {
    OLV_TROUBLE_UNREADABLE,  /* a place could not be looked into */
    OLV_TROUBLE_OTHER_MOUNT, /* another file system begins here; it was not entered */
    OLV_TROUBLE_UNTRUSTED,   /* somebody else could have put there what lies there */
    OLV_TROUBLE_FAILED       /* an act on one file failed */
};

struct olv_trouble {
    enum olv_trouble_kind kind;
    const char *path; /* raw bytes, NUL-terminated; borrowed for the call */
    const char *what; /* what was attempted, or the reason in words; borrowed for the call */
    int sys;          /* errno, or 0 */
};

struct olv_progress {
    const char *doing; /* "looking", "discarding", ... */
    uint64_t files, bytes;
    uint64_t of_files, of_bytes; /* 0 while not known */
};

/* What became of one entry of a docket. */
struct olv_result_facts {
    const char *path, *into; /* raw bytes; `into`: the file that has its contents now, or "" */
    const char *result;      /* as in the ledger: done, told, left, refused, failed */
    const char *reason;      /* or "" */
    uint64_t size_bytes;
    bool has_packed;
    uint64_t packed_bytes; /* what its contents take now */
    double seconds;        /* of work, where it was measured; else 0 */
};

/* Every callback may be NULL. `trouble` is called by one thread at a time, `progress` and `outcome` by the
 * calling thread only, `is_interrupted` by any. */
struct olv_observer {
    void *self;
    void (*progress)(void *self, const struct olv_progress *progress);
    void (*trouble)(void *self, const struct olv_trouble *trouble);
    bool (*is_interrupted)(void *self);
    void (*outcome)(void *self, const struct olv_result_facts *facts);
};

void olv_observe_progress(const struct olv_observer *observer, struct olv_progress progress);
void olv_observe_trouble(const struct olv_observer *observer, struct olv_trouble trouble);
/* The commonest one. */
void olv_observe_unreadable(const struct olv_observer *observer, const char *path, const char *what, int sys);
bool olv_observe_interrupted(const struct olv_observer *observer);

#endif
