/* SPDX-License-Identifier: Apache-2.0 */
/* The core prints nothing and asks nothing: it reports to an observer, and the front end draws. */
#ifndef OLVIDO_OBSERVER_H
#define OLVIDO_OBSERVER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum olv_trouble_kind {
    OLV_TROUBLE_UNREADABLE,  /* a place could not be read */
    OLV_TROUBLE_OTHER_MOUNT, /* another file system is mounted here; it was not entered */
    OLV_TROUBLE_ACCESSED,    /* reading directories of others on this mount changes their access times */
    OLV_TROUBLE_UNTRUSTED,   /* somebody else could have put there what is there */
    OLV_TROUBLE_LEFT,        /* something named by hand stays, for a reason that is no failure */
    OLV_TROUBLE_FAILED       /* an act on one file failed */
};

struct olv_trouble {
    enum olv_trouble_kind kind;
    const char *path; /* raw bytes, NUL-terminated; borrowed for the call */
    const char *what; /* what was attempted, or the reason; borrowed for the call */
    int sys;          /* errno, or 0 */
};

struct olv_progress {
    const char *doing; /* "looking", "discarding", ... */
    uint64_t files, bytes;
    uint64_t of_files, of_bytes; /* 0 until known */
};

/* The outcome of one docket entry. */
struct olv_result_facts {
    const char *path, *into;    /* raw bytes; `into`: the file that now has its contents, or "" */
    const char *result;         /* as in the ledger: done, told, left, refused, failed */
    const char *reason;         /* or "" */
    uint64_t size_bytes, files; /* of a directory, of all that is in it */
    bool is_directory;
    bool has_packed;
    uint64_t packed_bytes; /* the current size of its contents */
    double seconds;        /* of work, if measured; else 0 */
};

/* Something is in the way of an entry, which shows only in its turn. */
struct olv_obstacle_met {
    const char *path, *reason;
    uint64_t done, undone; /* entries so far, with this one */
};

/* Every callback may be NULL. `trouble` is called by one thread at a time, `progress` and `outcome` only by
 * the calling thread, `is_interrupted` by any thread. With `obstacle` entries go one after the other, and it
 * is called, by that thread, before the next one; to stop there, `is_interrupted` is true from then on. */
struct olv_observer {
    void *self;
    void (*progress)(void *self, const struct olv_progress *progress);
    void (*trouble)(void *self, const struct olv_trouble *trouble);
    bool (*is_interrupted)(void *self);
    void (*outcome)(void *self, const struct olv_result_facts *facts);
    void (*obstacle)(void *self, const struct olv_obstacle_met *met);
};

void olv_observe_progress(const struct olv_observer *observer, struct olv_progress progress);
void olv_observe_trouble(const struct olv_observer *observer, struct olv_trouble trouble);
/* The most common one. */
void olv_observe_unreadable(const struct olv_observer *observer, const char *path, const char *what, int sys);
bool olv_observe_interrupted(const struct olv_observer *observer);

#endif
