/* SPDX-License-Identifier: Apache-2.0 */
/* Judges the entries of a walk: which rules apply where, and what their statements may ask. */
#ifndef OLV_JUDGE_JUDGING_H
#define OLV_JUDGE_JUDGING_H

#include "judge/decide.h"
#include "judge/former.h"
#include "judge/roots.h"
#include "olvido/plan.h"
#include "os/os.h"
#include "scan/subject.h"

#include <pthread.h>

/* What is open for writing: looked up when the first entry is due, because it takes longer than a small tree.
 */
struct use_lookup {
    bool is_wanted;
    pthread_mutex_t mutex;
    struct olv_os_in_use *_Atomic files; /* NULL: not looked up yet */
    bool is_done;                        /* under the mutex; it may have failed */
};

/* Shared by all workers; read-only during the walk, except for `use`. */
struct judging {
    const struct olv_policy *policy;
    const struct olv_plan_options *options;
    struct olv_decider *decider;
    struct roots roots;
    struct use_lookup *use;       /* owned */
    struct former_asking *asking; /* owned */
    bool has_directories;         /* some rule is about directories */
    bool is_about_one; /* asks whether this one file is open, instead of looking at all processes */
};

bool judging_begin(struct judging *judging, const struct olv_policy *policy,
                   const struct olv_plan_options *options, const struct olv_observer *observer,
                   struct olv_error *err);
/* False with `err` if something that everything depends on could not be found out. */
bool judging_is_sure(const struct judging *judging, struct olv_error *err);
void judging_end(struct judging *judging);
/* Gives an empty directory of the walk the times it had before our own removals, if only they emptied it. */
void judging_before_emptied(const struct judging *judging, const struct olv_scan_dir *dir,
                            struct olv_stat *stat);

/* One per worker of a walk. */
struct judge {
    const struct judging *judging;
    struct olv_expr_scratch *scratch;
    struct olv_text path, below; /* scratch */
    uint64_t entered;            /* serial of the last directory entered, and its identity */
    struct olv_stat entered_stat;
};

bool judge_begin(struct judge *judge, const struct judging *judging);
void judge_end(struct judge *judge);

/* Call on entering a directory: finds the rules that apply in it. False: skip it, it is Olvido's own. */
bool judge_enter(struct judge *judge, struct olv_scan_dir *dir, const struct olv_stat *stat);
/* An entry as a policy's statements see it: a file that Olvido compressed is judged as its former self. The
 * judge and the entry must outlive it. */
struct tree_subject {
    struct scan_subject scan; /* first member, and so is the subject in it */
    struct judge *judge;
    struct former former;
};
void judge_subject_begin(struct tree_subject *subject, struct judge *judge, struct olv_scan_entry *entry);

/* The verdict on an entry other than a directory. */
struct olv_verdict judge_file(struct judge *judge, struct olv_scan_entry *entry);

/* The time by the rule's clock. */
struct olv_instant judge_clock(struct judge *judge, struct olv_scan_entry *entry, uint32_t rule);

/* What keeps an entry where it is, whatever rule owns it. It must have been looked at. */
struct judged_entry {
    bool is_held, in_respite, is_in_use;
};
struct judged_entry judge_entry(struct judge *judge, struct olv_scan_entry *entry);

/* What is known about a directory before its contents. */
struct judged_directory {
    enum olv_reason reason; /* OLV_DUE: a rule owns it; else OLV_NOT_OWNED, OLV_UNDECIDED, OLV_GONE */
    uint32_t rule;
    bool is_held, in_respite;
    bool has_own_start;           /* its rule goes by the date in its name */
    struct olv_instant own_start; /* then: that date */
};
struct judged_directory judge_directory(struct judge *judge, struct olv_scan_entry *entry);

#endif
