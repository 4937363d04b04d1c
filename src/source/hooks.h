/* SPDX-License-Identifier: Apache-2.0 */
/* How an act is carried out: the hooks that the engine calls, what it lends them, and what comes back. An act
 * has hooks of its own (src/act/), or each place where files lie has them (src/source/). */
#ifndef OLV_SOURCE_HOOKS_H
#define OLV_SOURCE_HOOKS_H

#include "archive/gathered.h"
#include "base/digest.h"
#include "depot/had.h"
#include "file/fresh.h"
#include "file/origin.h"
#include "file/reach.h"
#include "file/touched.h"
#include "guard/guard.h"
#include "hold/hold.h"
#include "olvido/depot.h"
#include "trash/trash.h"

enum olv_result {
    OLV_PENDING, /* nobody has said yet; in the end that is a failure */
    OLV_DONE,
    OLV_LEFT,   /* not touched, and that is right: it changed, it is gone, it is guarded */
    OLV_DENIED, /* refused, and nothing was touched: its place is taken */
    OLV_FAILED, /* not done, though it should have been */
    OLV_UNSURE  /* after a crash: nothing there tells */
};

/* What is known, after a crash, of an act that leaves no trace by itself. */
enum olv_trace { OLV_TRACE_NONE, OLV_TRACE_BEGUN, OLV_TRACE_DONE, OLV_TRACE_NOT_DONE };

/* What was made for an entry before its turn came. */
struct olv_prepared {
    bool is_made;
    struct olv_trash *trash;
    char item[NAME_MAX + 1];
};

/* Lent to an act that prepares, in another thread than the one that applies. */
struct olv_act_ahead {
    const char *run;
    uint64_t sequence; /* of this file within the run */
    struct olv_instant now;
    bool is_small;           /* the batch has few entries */
    struct olv_trash *trash; /* the one for the entry's mount, as far as that is known; else NULL */
    struct olv_info_writer *writer;
    struct olv_text *path; /* scratch */
};

/* Lent to an act by the run. */
struct olv_act_context {
    const char *run;
    uint64_t sequence; /* of this file within the run */
    struct olv_instant now;
    bool is_small; /* the batch has few entries: what an act writes is brought to the disk file by file, not
                      with all that others have written to that file system */
    const struct olv_guard *guard;
    struct olv_trashes *trashes;
    struct olv_trash *trash;       /* the one for this entry, where the act needs one */
    const struct olv_notes *notes; /* the key of notes on files */
    struct had_list *had;          /* what is to be remembered before anything gets its name */
    struct givens *givens;         /* the register of what gets a name; NULL: no act of the batch needs it */
    struct olv_reach source;       /* the directory of the entry, reached before `apply` */
    struct touched *touched;       /* where an act adds what it changed beside that directory and the
                                      trash's own */
    struct olv_prepared *prepared; /* for this entry; NULL: nothing was. An act that uses it takes
                                      `is_made` away; what is left is abandoned */
    struct olv_text path;          /* scratch: the entry's path */
    struct olv_text archive;       /* scratch: the path of an archive */
    struct olv_hasher *hasher;     /* the run's own */
    struct vault *vault;           /* reads archives; made when it is needed first */
    struct olv_text depot;         /* the path of the one that was judged last */
    struct directories *directories; /* what recovered directories are given in the end; likewise */
    struct olv_catalogue *catalogue; /* of depots; NULL: not needed up to now, or it cannot be opened */
    struct olv_thinned *thinned;     /* the archive that members were taken out of last */
    const struct olv_holds *holds;   /* NULL: nothing is held */
    bool asks_open;                  /* of a directory: whether what is open for writing in it keeps it */
    const struct olv_os_in_use
        *in_use;                    /* then: what is, all over the machine; NULL: each file is asked about */
    const struct olv_text *segment; /* the batch under way, */
    uint64_t batch;                 /* and its number */
    const uint8_t *salt;            /* of the batch; borrowed from whoever reads it */
    struct gathered *gathered;      /* what went into archives; NULL: nothing */
    /* When settling: */
    enum olv_trace trace; /* of this entry */
    bool has_outcomes;    /* the run has told of some of its entries */
    bool needs_archive;   /* set by `look`: an original has gone into an archive that is in no depot */
    uint8_t digest[OLV_SHA256_SIZE]; /* of this entry's contents, where an act lends it to the outcome */
    void *made;                      /* for this entry, by the act's `make`; NULL: nothing */
    struct olv_text placed;          /* scratch: where a file is now */
    const struct olv_observer *observer;
};

struct olv_outcome {
    enum olv_result result;
    struct olv_error error;   /* why, where not done */
    char trash[NAME_MAX + 1]; /* the item's name in the trash, or "" */
    const char *placed;       /* where the file is now, if not where the docket says; borrowed; or NULL */
    const char *into;         /* the path of the file that has its contents now; borrowed; NULL: none */
    const uint8_t *digest;    /* SHA-256 of its contents; borrowed; NULL: they were not read */
    bool has_stored;          /* whether the next one is known */
    uint64_t stored_bytes;    /* what the contents take now */
    double seconds;           /* of work, where it was measured */
    enum olv_lasting {
        LASTS_BY_ITSELF,
        LASTS_AS_IT_IS /* the act would come to nothing, and need not be tried again */
    } lasting;         /* what the catalogue is to remember */
};

/* Entries that an act works on together, because each waits for the disk, or has much to compute. */
struct olv_group {
    const struct olv_docket_entry *entries;
    struct olv_outcome *outcomes; /* one for each. One that is decided is left out of all that follows */
    void **made;                  /* one for each: the act's own */
    size_t count;
    uint64_t sequence;               /* of the first entry within the run */
    uint64_t files_done, bytes_done; /* in the run, before this group */
};

/* Extra hooks of a grouped act, called in the order make, apply (for each entry that is still undecided),
 * complete, drop (after recording). The result of an entry is the one state that says whether it goes on:
 * whoever sets it aside decides it, and `complete` decides what is left. */
struct olv_group_act {
    /* Writes new files side by side, and proves them; touches nothing that is there. */
    void (*make)(struct olv_act_context *context, const struct olv_group *group);
    /* Whether the entry is a group by itself. May be NULL: none is. */
    bool (*is_alone)(const struct olv_docket_entry *entry);
    /* What `apply` could not do before the directories were on the disk. May be NULL. */
    void (*complete)(struct olv_act_context *context, const struct olv_group *group);
    void (*drop)(const struct olv_group *group);
};

enum need {
    NEEDS_TRASH = 1 << 0,     /* find_trash is called before each entry */
    NEEDS_CATALOGUE = 1 << 1, /* of depots, open */
    NEEDS_GIVENS = 1 << 2,    /* the register of what is given a name */
    NEEDS_NOTE = 1 << 3,      /* nothing tells afterwards whether it was done: it is noted beside */
    NEEDS_PLACE = 1 << 4,     /* a directory that is not there is an error, not a file that went away */
    ASKS_ITSELF = 1 << 5,     /* about holds and open files, right before the act */
    IS_GATHERED = 1 << 6      /* what goes into one archive is put there when the first of it has its turn */
};

struct hooks {
    unsigned needs; /* enum need */
    /* The trash that this entry is about; NULL with `err`. For acts that need one. */
    struct olv_trash *(*find_trash)(struct olv_act_context *context, const struct olv_docket_entry *entry,
                                    struct olv_error *err);
    /* Notes in the register what is about to get a name: called for each entry before the first act of the
     * batch. May be NULL. */
    bool (*announce)(struct olv_act_context *context, const struct olv_docket_entry *entry,
                     struct olv_error *err);
    /* Does what can be done before the entry's turn has come and is easily undone. May be NULL. */
    bool (*prepare)(const struct olv_act_ahead *ahead, const struct olv_docket_entry *entry,
                    struct olv_prepared *out);
    void (*apply)(struct olv_act_context *context, const struct olv_docket_entry *entry,
                  struct olv_outcome *outcome);
    /* Whether an earlier entry's turn has decided this one's as well: then it has its turn even when the run
     * is to stop. May be NULL. */
    bool (*is_decided)(const struct olv_act_context *context, const struct olv_docket_entry *entry);
    const struct olv_group_act *group; /* NULL: one entry after the other */
    /* What goes into one batch because it is written once, in one key; "" for an entry by itself. NULL: each
     * is. */
    void (*batch_key)(const struct olv_docket_entry *entry, struct olv_text *out);
    /* After a crash, for every entry without an outcome, before the first `settle_entry`. May be NULL. */
    void (*look)(struct olv_act_context *context, const struct olv_docket_entry *entry);
    /* Takes back what was begun, completes nothing, and finds out by the act's own evidence whether the entry
     * was acted upon: then its outcome is filled in. OLV_UNKNOWN where nothing tells. */
    enum olv_truth (*settle_entry)(struct olv_act_context *context, const struct olv_docket_entry *entry,
                                   struct olv_outcome *outcome);
};

/* A place where files lie. Acts that every place has a way of its own for: giving back, ending. */
struct source {
    const struct hooks *ways[OLV_WAYS]; /* NULL: that cannot be done here */
    bool is_item;                       /* the name of an entry is that of an item of the trash */
};
extern const struct source source_tree, source_trash, source_depot;

const struct source *source_of(const struct olv_docket_entry *entry);
/* How the act of an entry is carried out where it lies; NULL: it cannot be. */
const struct hooks *hooks_of(const struct olv_docket_entry *entry);
/* For composing: see `batch_key`. */
void batch_key_of(const struct olv_docket_entry *entry, struct olv_text *out);

/* What the ledger calls this result of the act. */
const char *olv_act_result(const struct olv_act *act, enum olv_result result);
/* Why it came to this, in words; "" where it was done without anything to say. */
void olv_outcome_reason(const struct olv_outcome *outcome, char *out, size_t size);

/* For acts: compares the name with what was judged. With OLV_LEFT in the outcome when it is not the same. */
bool olv_act_verify(int dir, const char *name, const struct olv_docket_entry *entry, bool with_changed,
                    struct olv_outcome *outcome);
/* The same for what is in a directory, by its name in an open one; true for everything else. `asks`: also
 * whether something in it is held, or open for writing, by now. */
bool olv_act_verify_contents(const struct olv_act_context *context, int dir, const char *name, bool asks,
                             const struct olv_docket_entry *entry, struct olv_outcome *outcome);
/* For acts whose file's contents are safe elsewhere: removes a file's name from the open directory if it
 * still is what was judged, by the way that is right there (see file/stage.h). With the reason in the outcome
 * when it is not, or cannot be removed. */
bool olv_act_remove(const struct olv_act_context *context, const struct olv_reach *directory,
                    const struct olv_docket_entry *entry, const char *label, bool with_changed,
                    struct olv_outcome *outcome);
/* The same for a file that must not be open for writing then: asked of the system right before, and it stays
 * so until the name is gone. */
bool olv_act_remove_unused(const struct olv_act_context *context, const struct olv_docket_entry *entry,
                           const char *label, bool with_changed, struct olv_outcome *outcome);
/* After a crash: whether the file that was judged is there under its name. OLV_NO: nothing is, or another
 * one. OLV_UNKNOWN: it cannot be looked at. */
enum olv_truth olv_act_is_there(const struct olv_act_context *context, const struct olv_docket_entry *entry);
/* After a crash: the search for a file that the entry was to be made into, by what the register says of it.
 * Without a row it finds nothing. False with `err` where the register cannot be read: then nothing must be
 * taken back, and nothing tells what was done. */
struct olv_act_search {
    struct fresh_search search;
    struct given given;
};
bool olv_act_search_for(struct olv_act_search *out, const struct olv_act_context *context,
                        const struct olv_docket_entry *entry, const char *label, const char *wanted,
                        struct olv_error *err);
/* What tells the new files of an entry apart until they are complete: it is found again when the run is
 * settled, and cannot be foreseen by whoever has seen another one. */
void olv_act_label(char out[FRESH_LABEL], const struct olv_act_context *context, uint64_t sequence);
/* The same for the archive that begins with that entry. */
void olv_act_archive_label(char out[FRESH_LABEL], const struct olv_act_context *context, uint64_t sequence);
/* For acts that take a file from its place: whether a guard stands before it. With OLV_LEFT in the outcome.
 */
bool olv_act_is_allowed(struct olv_act_context *context, const struct olv_docket_entry *entry,
                        struct olv_outcome *outcome);
/* For acts on an item of a trash: its trash. */
struct olv_trash *olv_act_trash_of_item(struct olv_act_context *context, const struct olv_docket_entry *entry,
                                        struct olv_error *err);
/* Frees what `thin` keeps in the context. */
void olv_thinned_free(struct olv_thinned *thinned);
/* Sets the outcome to what the error says: what changed, or was not reached before an interrupt, is left
 * alone; a place that is taken is a refusal; everything else failed. */
void olv_act_unsuccessful(struct olv_outcome *outcome);
/* The same for an entry that the run did not get to before it was interrupted. */
void olv_act_interrupted(struct olv_outcome *outcome);
/* The same for all entries of a group that are not decided yet. */
void olv_group_fail(const struct olv_group *group, const struct olv_error *why);

#endif
