/* SPDX-License-Identifier: Apache-2.0 */
/* How an act is carried out: the hooks that the engine calls, what it lends them, and what they return. An
 * act has its own hooks (src/act/), or each place has hooks for it (src/source/). */
#ifndef OLV_SOURCE_HOOKS_H
#define OLV_SOURCE_HOOKS_H

#include "file/reach.h"
#include "file/stage.h"
#include "keys/keys.h"
#include "olvido/session.h"
#include "source/outcome.h"
#include "trash/trash.h"

struct changes;
struct olv_os_in_use;
struct touched;

/* What a step's arguments may depend on, when an entry of a policy gets into a docket. */
struct fitting {
    const struct olv_policy *policy;
    const struct olv_rule *rule;
    struct olv_instant now;   /* of the run */
    struct olv_instant clock; /* the time by the rule's clock */
    const char *below;        /* the entry's directory relative to the rule's `under`, or "" */
    struct olv_text *scratch; /* two, empty; what is in them lasts until the next entry */
    int dir;                  /* the entry's directory, open; not of what lies in a depot */
    const char *name;
};

/* What another thread prepared for an entry before its turn. */
struct ahead_made {
    bool is_made;
    struct olv_trash *trash;
    char item[NAME_MAX + 1];
};

/* What is known, after a crash, of an act that leaves no trace itself. */
enum olv_trace { OLV_TRACE_NONE, OLV_TRACE_BEGUN, OLV_TRACE_DONE, OLV_TRACE_NOT_DONE };

/* What an act is lent while an entry has its turn. */
struct turn {
    const struct olv_session *session; /* guard, holds, trashes, catalogue, notes, observer */
    struct turn_run {
        struct olv_run *recorder; /* see source/records.h */
        const char *id;           /* when settling, of the run that was cut short */
        struct olv_instant now;
        const uint8_t *salt;     /* of the batch */
        bool is_small;           /* the batch: fsync each file; otherwise syncfs once */
        struct touched *touched; /* what an act changed besides the entry's directory and trash */
        struct changes *changes; /* of files with other names; see asking.h */
    } run;
    uint64_t sequence; /* the entry's number in the run */
    struct {
        const struct hooks *hooks; /* those in charge */
        void **state;              /* theirs, from first use to `free_state` */
    } own;
    struct olv_reach directory; /* the entry's, opened */
    struct olv_trash *trash;    /* for hooks that need one */
    struct {
        void *here;               /* by make_group, for this entry; NULL: nothing */
        struct ahead_made *ahead; /* NULL: nothing was. Whoever uses it clears `is_made` */
    } made;
    struct {                /* source/asking.c and ending.c */
        struct stage stage; /* where what goes for good is taken aside, until the batch ends */
        struct leave {
            bool is_given;
            uint64_t mount, inode;
            char name[NAME_MAX + 1];
        } leave;        /* of what may be ended next */
        bool asks_open; /* what is open for writing stays, and a directory with such a file in it */
        const struct olv_os_in_use *in_use; /* everything open on this machine; NULL: ask about each file */
        struct olv_os_in_use *seen;         /* as far as it could be seen, and when; owned */
        struct olv_instant seen_at;
    } ending;
    struct { /* for settling */
        enum olv_trace trace;
        bool has_outcomes;       /* the run has recorded some of its outcomes */
        struct olv_instant last; /* its last sign of life; after a reboot, when that was */
        struct olv_stat made;    /* scratch, for the outcome */
    } crash;
    struct { /* `digest` belongs to the outcome */
        struct olv_text path, placed;
        uint8_t digest[OLV_SHA256_SIZE];
        struct olv_hasher *hasher;
    } scratch;
};

/* Lent to hooks that prepare, on a thread other than the one that applies. */
struct ahead_turn {
    const char *run;
    uint64_t sequence; /* the file's number in the run */
    struct olv_instant now;
    bool is_small;
    struct olv_trash *trash; /* the trash of the entry's mount, if known; else NULL */
    struct olv_info_writer *writer;
    struct olv_text *path; /* scratch */
};

/* Entries that are acted on together. */
struct group {
    uint64_t sequence;               /* number of the first entry in the run */
    uint64_t files_done, bytes_done; /* in the run before this group */
    bool is_bound; /* set by make_group: what was made is in use, so each entry gets its turn even if the run
                      stops */
    /* For hooks that take several entries at once: */
    size_t count;
    struct olv_docket_entry *entries;
    struct olv_outcome *outcomes; /* one each. A decided one is left out from then on */
    void **made;                  /* one each: the hooks' own */
    /* For hooks with a key: calls `each` for all entries with this key, from the first on, at most `most` (0:
     * all). The remaining ones become another group. */
    bool (*each)(struct group *group, uint64_t most, olv_each_entry each, void *self, struct olv_error *err);
    void *engine; /* the engine's own */
};

enum need {
    NEEDS_TRASH = 1 << 0,     /* call find_trash before each entry */
    NEEDS_CATALOGUE = 1 << 1, /* open the catalogue of depots */
    NEEDS_REGISTER = 1 << 2,  /* open the register of files about to get names */
    NEEDS_NOTE = 1 << 3,      /* the act leaves no evidence, so note it elsewhere */
    REACHES_ITSELF = 1 << 4,  /* opens its directory in make_group, for all entries of a key */
    ASKS_WRITERS = 1 << 6,    /* asks itself whether a file is open for writing */
    ASKS_ITSELF = 1 << 5      /* asks about holds and open files itself, right before the act */
};

/* All but `apply` may be NULL. They are called in the order announce (each entry of a batch), make_group,
 * apply (each entry), apply_group, free_group (after recording), end_run, free_state. */
struct hooks {
    unsigned needs; /* enum need */
    /* Sets the arguments of one entry that the step does not say. NULL: there are none. False without memory.
     */
    bool (*fit_arguments)(const struct fitting *fitting, void *arguments);
    const void *own; /* what hooks that share functions differ in */
    /* The trash of this entry; NULL with `err`. */
    struct olv_trash *(*find_trash)(struct turn *turn, const struct olv_docket_entry *entry,
                                    struct olv_error *err);
    /* Records in the register what is about to get a name, before the first act of the batch. */
    bool (*announce)(struct turn *turn, const struct olv_docket_entry *entry, struct olv_error *err);
    /* Does, before the entry's turn, what is easily undone. */
    bool (*prepare_ahead)(const struct ahead_turn *turn, const struct olv_docket_entry *entry,
                          struct ahead_made *out);

    /* Grouping: entries with the same key form a group; with `takes_several`, all consecutive ones do. */
    void (*group_key)(const struct olv_docket_entry *entry, struct olv_text *out);
    bool (*is_one_batch)(const struct olv_docket_entry *entry); /* a group stays in one batch; NULL: no */
    bool takes_several;
    bool (*is_alone)(const struct olv_docket_entry *entry);
    /* Several: each is done by itself, and those of several directories side by side, on other threads. */
    bool goes_beside;
    /* Preparing: writes and proves new files, without touching existing ones. On failure its entries fail;
     * false if the run itself cannot go on. */
    bool (*make_group)(struct turn *turn, struct group *group, struct olv_error *err);

    void (*apply)(struct turn *turn, const struct olv_docket_entry *entry, struct olv_outcome *outcome);
    /* For several: what `apply` had to leave until the directories are on disk. Decides the rest. */
    void (*apply_group)(struct turn *turn, const struct group *group);
    void (*free_group)(const struct group *group);
    /* When an outcome is recorded, also after a crash: what the act keeps in the register. */
    void (*recorded)(struct turn *turn, const struct olv_docket_entry *entry,
                     const struct olv_outcome *outcome);
    /* When everything is done, before it is recorded: what counted as done may still fail. */
    bool (*end_run)(struct turn *turn,
                    void (*failed)(void *self, const char *path, const struct olv_error *why), void *self,
                    struct olv_error *err);
    void (*free_state)(void *state);

    /* After a crash, for every entry without an outcome, before the first `applied`. */
    void (*look)(struct turn *turn, const struct olv_docket_entry *entry, bool is_reached);
    /* Takes back what was begun, completes nothing, and finds out from the act's own evidence whether the
     * entry was done: then it fills the outcome. OLV_UNKNOWN if nothing tells. */
    enum olv_truth (*applied)(struct turn *turn, const struct olv_docket_entry *entry,
                              struct olv_outcome *outcome);
};

/* A place where files lie. Each place has its own way of giving back and of ending. */
struct source {
    const struct hooks *ways[OLV_WAYS]; /* NULL: impossible here */
    /* Ends what leave was given for; only ending_end calls it. False: the outcome says why. */
    bool (*end)(struct turn *turn, const struct olv_reach *directory, const struct olv_docket_entry *entry,
                struct olv_outcome *outcome);
    bool is_item; /* an entry's name is that of an item of the trash */
    /* The outcome if an entry's directory could not be opened. NULL: what the error says. */
    void (*unreached)(const struct olv_docket_entry *entry, struct olv_outcome *outcome);
};
extern const struct source source_tree, source_trash, source_depot;

const struct source *source_of(const struct olv_docket_entry *entry);
/* Sets the outcome of an entry whose directory could not be opened. */
void source_unreached(const struct olv_docket_entry *entry, struct olv_outcome *outcome);
/* How to carry out the entry's act where it lies; NULL: impossible. */
const struct hooks *hooks_of(const struct olv_docket_entry *entry);
/* The current hooks' own state for the whole run: `size` bytes, zeroed on first use. NULL without memory. */
void *turn_state(const struct turn *turn, size_t size);
/* For composing a docket: what must stay in one batch. */
void batch_key_of(const struct olv_docket_entry *entry, struct olv_text *out);

#endif
