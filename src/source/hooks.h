/* SPDX-License-Identifier: Apache-2.0 */
/* How an act is carried out: the hooks that the engine calls, what it lends them, and what they return. An
 * act has its own hooks (src/act/), or each place has hooks for it (src/source/). */
#ifndef OLV_SOURCE_HOOKS_H
#define OLV_SOURCE_HOOKS_H

#include "base/given.h"
#include "file/reach.h"
#include "file/rename.h"
#include "file/stage.h"
#include "keys/keys.h"
#include "olvido/guard.h"
#include "olvido/hold.h"
#include "olvido/notes.h"
#include "olvido/observer.h"
#include "source/outcome.h"
#include "trash/trash.h"

struct touched;

/* Lent to all acts for the whole run. */
struct lent {
    const char *run; /* its id */
    struct olv_instant now;
    const struct olv_guard *guard;
    const struct olv_holds *holds; /* NULL: nothing is held */
    struct olv_trashes *trashes;
    const struct olv_notes *notes;   /* the key for notes on files */
    struct touched *touched;         /* what an act changed besides the entry's directory and trash */
    struct olv_catalogue *catalogue; /* of depots; NULL: not needed so far, or it cannot be opened */
    struct olv_hasher *hasher;
    const struct olv_observer *observer;
    const struct lender *lender;
};

/* A published archive outside a depot. */
struct archive_made {
    const char *path;
    uint8_t id[16], manifest[OLV_SHA256_SIZE];
    uint64_t length, members;
};

/* A move in two steps that is about to be made; see file/rename.h. */
struct announced_move {
    enum rename_half half;
    char from[NAME_MAX + 1], to[NAME_MAX + 1]; /* "": it was not made after all */
};

/* What the engine does for acts. */
struct lender {
    /* The catalogue, opened on first use. NULL with `err`. */
    struct olv_catalogue *(*catalogue)(const struct lender *lender, struct olv_error *err);
    /* An archive was published: the ledger records it at the end. */
    bool (*archive_made)(const struct lender *lender, const struct archive_made *archive,
                         struct olv_error *err);

    /* Makes it durable, before a move in two steps, that it is about to be made. */
    bool (*announce_move)(const struct lender *lender, uint64_t entry, const struct announced_move *move,
                          struct olv_error *err);
    /* After a crash: the entry's last one with this `half`. OLV_NO if none was announced. */
    enum olv_truth (*find_move)(const struct lender *lender, uint64_t entry, struct announced_move *move);

    /* The register. A file's row is on disk before the file gets its name: after a crash it is recognised
     * whatever its name, and recovered files are spared. */

    /* Records a file about to get its name at this path; `is_spared`: no rule touches it for 30 days. */
    bool (*note_name)(const struct lender *lender, uint64_t entry, const char *path,
                      const struct olv_stat *stat, bool is_spared, struct olv_error *err);
    /* Makes both kinds of records durable, in one commit. */
    bool (*store_names)(const struct lender *lender, struct olv_error *err);
    /* What was recorded for an entry of the run, or for `path` if not NULL. OLV_NO if nothing was;
     * OLV_UNKNOWN with `err` if the register cannot be read. */
    enum olv_truth (*find_name)(const struct lender *lender, uint64_t entry, const char *path,
                                struct given *out, struct olv_error *err);
    /* Whether the file is spared now. */
    enum olv_truth (*is_spared)(const struct lender *lender, const struct olv_stat *stat);
    /* Records, with the names, a step that a file will have had once it gets its name. */
    bool (*note_had)(const struct lender *lender, const struct olv_had *had, struct olv_error *err);
    /* The file's name before its first step; see olv_register_find_had. */
    enum olv_truth (*find_had)(const struct lender *lender, struct olv_had *had, char was_name[NAME_MAX + 1],
                               uint64_t *was_bytes, struct olv_error *err);
};

/* What a step's arguments may depend on, when an entry of a policy gets into a docket. */
struct fitting {
    const struct olv_policy *policy;
    const struct olv_rule *rule;
    struct olv_instant now;   /* of the run */
    struct olv_instant clock; /* the time by the rule's clock */
    const char *below;        /* the entry's directory relative to the rule's `under`, or "" */
    struct olv_text *scratch; /* two, empty; what is in them lasts until the next entry */
};

/* What another thread prepared for an entry before its turn. */
struct ahead_made {
    bool is_made;
    struct olv_trash *trash;
    char item[NAME_MAX + 1];
};

/* What is known, after a crash, of an act that leaves no trace itself. */
enum olv_trace { OLV_TRACE_NONE, OLV_TRACE_BEGUN, OLV_TRACE_DONE, OLV_TRACE_NOT_DONE };

/* The turn of one entry. */
struct turn {
    const struct lent *lent;
    const struct hooks *hooks; /* the hooks in charge */
    void **state;              /* the hooks' own state, from first use to `close` */
    uint64_t sequence;         /* the entry's number in the run */
    struct {
        const uint8_t *salt;
        bool is_small; /* few entries: fsync each file; otherwise syncfs once */
    } batch;
    struct olv_reach source;       /* the entry's directory, opened */
    struct stage stage;            /* where what goes for good is taken aside, until the batch ends */
    struct olv_trash *trash;       /* for hooks that need one */
    struct ahead_made *made_ahead; /* NULL: nothing was. Whoever uses it clears `is_made` */
    void *made;                    /* what `make` made for this entry; NULL: nothing */
    struct {                       /* what is open for writing: */
        bool is_asked;             /* for a directory: whether such a file in it keeps it */
        const struct olv_os_in_use
            *in_use; /* then: everything open on this machine; NULL: ask about each file */
    } open;
    struct { /* for settling */
        enum olv_trace trace;
        bool has_outcomes; /* the run has recorded some of its outcomes */
    } crash;
    struct { /* `digest` belongs to the outcome */
        struct olv_text path, placed;
        uint8_t digest[OLV_SHA256_SIZE];
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
    bool is_bound; /* set by `make`: what was made is in use, so each entry gets its turn even if the run
                      stops */
    /* For hooks that take several entries at once: */
    size_t count;
    const struct olv_docket_entry *entries;
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
    REACHES_ITSELF = 1 << 4,  /* opens its directory in `make`, for all entries of a key */
    ASKS_ITSELF = 1 << 5,     /* asks about holds and open files itself, right before the act */
    NEEDS_ORDER = 1 << 6      /* entries come in any order; sort them by key first */
};

/* All but `apply` may be NULL. They are called in the order announce (each entry of a batch), make (once per
 * group), apply (each), complete, drop (after recording), finish, close. */
struct hooks {
    unsigned needs; /* enum need */
    /* Sets the arguments of one entry that the step does not say. NULL: there are none. False without memory.
     */
    bool (*fit)(const struct fitting *fitting, void *arguments);
    const void *own; /* what hooks that share functions differ in */
    /* The trash of this entry; NULL with `err`. */
    struct olv_trash *(*find_trash)(struct turn *turn, const struct olv_docket_entry *entry,
                                    struct olv_error *err);
    /* Records in the register what is about to get a name, before the first act of the batch. */
    bool (*announce)(struct turn *turn, const struct olv_docket_entry *entry, struct olv_error *err);
    /* Does, before the entry's turn, what is easily undone. */
    bool (*prepare)(const struct ahead_turn *turn, const struct olv_docket_entry *entry,
                    struct ahead_made *out);

    /* Grouping: entries with the same key form a group; with `takes_several`, all consecutive ones do. */
    void (*key)(const struct olv_docket_entry *entry, struct olv_text *out);
    bool (*is_one_batch)(const struct olv_docket_entry *entry); /* a group stays in one batch; NULL: no */
    bool takes_several;
    bool (*is_alone)(const struct olv_docket_entry *entry);
    /* Preparing: writes and proves new files, without touching existing ones. On failure its entries fail;
     * false if the run itself cannot go on. */
    bool (*make)(struct turn *turn, struct group *group, struct olv_error *err);

    void (*apply)(struct turn *turn, const struct olv_docket_entry *entry, struct olv_outcome *outcome);
    /* For several: what `apply` had to leave until the directories are on disk. Decides the rest. */
    void (*complete)(struct turn *turn, const struct group *group);
    void (*drop)(const struct group *group);
    /* When everything is done, before it is recorded: what counted as done may still fail. */
    bool (*finish)(struct turn *turn,
                   void (*failed)(void *self, const char *path, const struct olv_error *why), void *self,
                   struct olv_error *err);
    void (*close)(void *state);

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
    bool is_item;                       /* an entry's name is that of an item of the trash */
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
