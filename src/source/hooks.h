/* SPDX-License-Identifier: Apache-2.0 */
/* How an act is carried out: the hooks that the engine calls, what it lends them, and what comes back. An act
 * has hooks of its own (src/act/), or each place where files lie has them (src/source/). */
#ifndef OLV_SOURCE_HOOKS_H
#define OLV_SOURCE_HOOKS_H

#include "base/given.h"
#include "file/reach.h"
#include "olvido/guard.h"
#include "olvido/hold.h"
#include "olvido/notes.h"
#include "olvido/observer.h"
#include "source/outcome.h"
#include "trash/trash.h"

struct touched;

/* Lent to all acts, for the whole run. */
struct lent {
    const char *run; /* its id */
    struct olv_instant now;
    const struct olv_guard *guard;
    const struct olv_holds *holds; /* NULL: nothing is held */
    struct olv_trashes *trashes;
    const struct olv_notes *notes;   /* the key of notes on files */
    struct touched *touched;         /* what an act changed beside the entry's directory and trash */
    struct olv_catalogue *catalogue; /* of depots; NULL: not needed up to now, or it cannot be opened */
    struct olv_hasher *hasher;
    const struct olv_observer *observer;
    const struct lender *lender;
};

/* An archive that was published, but in no depot. */
struct archive_made {
    const char *path;
    uint8_t id[16], manifest[OLV_SHA256_SIZE];
    uint64_t length, members;
};

/* What the engine does for acts. */
struct lender {
    /* The catalogue, opened when it is needed first. NULL with `err`. */
    struct olv_catalogue *(*catalogue)(const struct lender *lender, struct olv_error *err);
    /* An archive was published: the ledger tells of it in the end. */
    bool (*archive_made)(const struct lender *lender, const struct archive_made *archive,
                         struct olv_error *err);

    /* The register. Of a file that gets a name a row is on the disk before that: after a crash the file is
     * known again, whatever name it got, and what was given back is spared. */

    /* Notes a file that is about to get its name at this path; `is_spared`: for 30 days no rule touches it.
     */
    bool (*note_name)(const struct lender *lender, uint64_t entry, const char *path,
                      const struct olv_stat *stat, bool is_spared, struct olv_error *err);
    /* Brings what was noted of both to the disk, in one commit. */
    bool (*store_names)(const struct lender *lender, struct olv_error *err);
    /* What was noted of an entry of the run, or (not NULL) of a path. OLV_NO where nothing was; OLV_UNKNOWN
     * with `err` where the register cannot be read. */
    enum olv_truth (*find_name)(const struct lender *lender, uint64_t entry, const char *path,
                                struct given *out, struct olv_error *err);
    /* Whether the file is spared now. */
    enum olv_truth (*is_spared)(const struct lender *lender, const struct olv_stat *stat);
    /* Notes a step that a file will have had when its name is given, with the names. */
    bool (*note_had)(const struct lender *lender, const struct olv_had *had, struct olv_error *err);
    /* What the file was called before its first step; see olv_register_find_had. */
    enum olv_truth (*find_had)(const struct lender *lender, struct olv_had *had, char was_name[NAME_MAX + 1],
                               uint64_t *was_bytes, struct olv_error *err);
};

/* What was made for an entry before its turn came, in another thread. */
struct ahead_made {
    bool is_made;
    struct olv_trash *trash;
    char item[NAME_MAX + 1];
};

/* What is known, after a crash, of an act that leaves no trace by itself. */
enum olv_trace { OLV_TRACE_NONE, OLV_TRACE_BEGUN, OLV_TRACE_DONE, OLV_TRACE_NOT_DONE };

/* The turn of one entry. */
struct turn {
    const struct lent *lent;
    const struct hooks *hooks; /* whose turn it is */
    void **state;              /* the hooks' own, from their first turn to `close` */
    uint64_t sequence;         /* of the entry within the run */
    struct {
        const uint8_t *salt;
        bool is_small; /* it has few entries: fsync each file; else syncfs once */
    } batch;
    struct olv_reach source;       /* the entry's directory, reached */
    struct olv_trash *trash;       /* for hooks that need one */
    struct ahead_made *made_ahead; /* NULL: nothing was. Who uses it takes `is_made` away */
    void *made;                    /* for this entry, by `make`; NULL: nothing */
    struct {                       /* what is open for writing: */
        bool is_asked;             /* of a directory: whether such a file in it keeps it */
        const struct olv_os_in_use
            *in_use; /* then: what is, all over the machine; NULL: each file is asked */
    } open;
    struct { /* when settling */
        enum olv_trace trace;
        bool has_outcomes; /* the run has told of some of its entries */
    } crash;
    struct { /* `digest` is for the outcome */
        struct olv_text path, placed;
        uint8_t digest[OLV_SHA256_SIZE];
    } scratch;
};

/* Lent to hooks that prepare, in another thread than the one that applies. */
struct ahead_turn {
    const char *run;
    uint64_t sequence; /* of this file within the run */
    struct olv_instant now;
    bool is_small;
    struct olv_trash *trash; /* the one for the entry's mount, as far as that is known; else NULL */
    struct olv_info_writer *writer;
    struct olv_text *path; /* scratch */
};

/* Entries that are acted on together. */
struct group {
    uint64_t sequence;               /* of the first entry within the run */
    uint64_t files_done, bytes_done; /* in the run, before this group */
    bool is_bound; /* set by `make`: what was made stands, so each entry has its turn even if the run is to
                      stop */
    /* Of hooks that take several at once: */
    size_t count;
    const struct olv_docket_entry *entries;
    struct olv_outcome *outcomes; /* one for each. One that is decided is left out of all that follows */
    void **made;                  /* one for each: the hooks' own */
    /* Of hooks with a key: goes through all entries that have it, from the first on, but not more than `most`
     * (0: however many there are). What is not passed is another group. */
    bool (*each)(struct group *group, uint64_t most, olv_each_entry each, void *self, struct olv_error *err);
    void *engine; /* its own */
};

enum need {
    NEEDS_TRASH = 1 << 0,     /* find_trash is called before each entry */
    NEEDS_CATALOGUE = 1 << 1, /* of depots, open */
    NEEDS_REGISTER = 1 << 2,  /* of what is given a name, open */
    NEEDS_NOTE = 1 << 3,      /* nothing tells afterwards whether it was done: it is noted beside */
    REACHES_ITSELF = 1 << 4,  /* its directory, in `make`, for all entries of a key */
    ASKS_ITSELF = 1 << 5,     /* about holds and open files, right before the act */
    NEEDS_ORDER = 1 << 6      /* entries come in any order: before, they are put in that of their keys */
};

/* All but `apply` may be NULL. They are called in this order: announce (each entry of a batch), make (the
 * first entry of a group), apply (each), complete, drop (after recording), finish, close. */
struct hooks {
    unsigned needs;  /* enum need */
    const void *own; /* what functions that several hooks share differ in */
    /* The trash that this entry is about; NULL with `err`. */
    struct olv_trash *(*find_trash)(struct turn *turn, const struct olv_docket_entry *entry,
                                    struct olv_error *err);
    /* Notes in the register what is about to get a name, before the first act of the batch. */
    bool (*announce)(struct turn *turn, const struct olv_docket_entry *entry, struct olv_error *err);
    /* Does what can be done before the entry's turn has come and is easily undone. */
    bool (*prepare)(const struct ahead_turn *turn, const struct olv_docket_entry *entry,
                    struct ahead_made *out);

    /* Grouping: the entries with one key are a group, or (with `takes_several`) all that follow each other.
     */
    void (*key)(const struct olv_docket_entry *entry, struct olv_text *out);
    bool (*is_one_batch)(const struct olv_docket_entry *entry); /* a group stays in one batch; NULL: no */
    bool takes_several;
    bool (*is_alone)(const struct olv_docket_entry *entry);
    /* Preparing: writes new files, and proves them, touching nothing that is there. What fails is the failure
     * of its entries; false when the run itself cannot go on. */
    bool (*make)(struct turn *turn, struct group *group, struct olv_error *err);

    void (*apply)(struct turn *turn, const struct olv_docket_entry *entry, struct olv_outcome *outcome);
    /* Of several: what `apply` could not do before the directories were on the disk. Decides what is left. */
    void (*complete)(struct turn *turn, const struct group *group);
    void (*drop)(const struct group *group);
    /* When all is done and before that is recorded: what was counted as done may fail. */
    bool (*finish)(struct turn *turn,
                   void (*failed)(void *self, const char *path, const struct olv_error *why), void *self,
                   struct olv_error *err);
    void (*close)(void *state);

    /* After a crash, for every entry without an outcome, before the first `applied`. */
    void (*look)(struct turn *turn, const struct olv_docket_entry *entry, bool is_reached);
    /* Takes back what was begun, completes nothing, and finds out by the act's own evidence whether the entry
     * was acted upon: then its outcome is filled in. OLV_UNKNOWN where nothing tells. */
    enum olv_truth (*applied)(struct turn *turn, const struct olv_docket_entry *entry,
                              struct olv_outcome *outcome);
};

/* A place where files lie. Acts that every place has a way of its own for: giving back, ending. */
struct source {
    const struct hooks *ways[OLV_WAYS]; /* NULL: that cannot be done here */
    bool is_item;                       /* the name of an entry is that of an item of the trash */
    /* What it means that an entry's directory could not be reached. NULL: what the error says. */
    void (*unreached)(const struct olv_docket_entry *entry, struct olv_outcome *outcome);
};
extern const struct source source_tree, source_trash, source_depot;

const struct source *source_of(const struct olv_docket_entry *entry);
/* The entry's directory could not be reached: that is its outcome. */
void source_unreached(const struct olv_docket_entry *entry, struct olv_outcome *outcome);
/* How the act of an entry is carried out where it lies; NULL: it cannot be. */
const struct hooks *hooks_of(const struct olv_docket_entry *entry);
/* What the hooks whose turn it is keep for the whole run: so many bytes, zeroed when it is asked for first.
 * NULL without memory. */
void *turn_state(const struct turn *turn, size_t size);
/* For composing a docket: what must stay in one batch. */
void batch_key_of(const struct olv_docket_entry *entry, struct olv_text *out);

#endif
