/* SPDX-License-Identifier: Apache-2.0 */
/* What part of a plan is allowed: limits, counts, what was allowed beforehand, and what a person answers.
 * Questions come out as data, answers go in as data:
 *
 *     while (olv_permission_next(permission, &question))
 *         olv_permission_answer(permission, ask(&question)); */
#ifndef OLVIDO_PERMISSION_H
#define OLVIDO_PERMISSION_H

#include "olvido/plan.h"

/* From this number on, and for any directory of the trash, what cannot be taken back needs its count. */
enum { OLV_COUNTED_FROM = 10 };
bool olv_needs_count(uint64_t files, uint64_t directories);

enum olv_limit { OLV_LIMIT_NONE, OLV_LIMIT_FILES, OLV_LIMIT_BYTES, OLV_LIMIT_SHARE };

/* How a rule exceeds the policy's limits. */
struct olv_excess {
    enum olv_limit limit; /* OLV_LIMIT_NONE: not at all */
    uint64_t files;       /* due, as limits count them */
    uint64_t owned;       /* files the rule owns */
};
struct olv_spent {
    uint64_t files, bytes;
};
/* After what earlier rules have `spent` in this run; `due` gets what limits count of this rule. */
struct olv_excess olv_excess_of(const struct olv_policy *policy, size_t rule,
                                const struct olv_rule_tally *tally, struct olv_spent spent,
                                struct olv_tally *due);

/* What was allowed beforehand. */
struct olv_allowance {
    bool is_unattended; /* only what the policy marks as unattended, within its limits */
    bool says_yes;      /* to everything that exceeds no limit and needs no count */
    bool has_count;     /* of everything that cannot be taken back: */
    uint64_t count;
    const bool *over_limit; /* per rule: it may exceed the limits; NULL: none may */
    bool can_ask;           /* somebody can be asked */
};

/* Whether this many of `all` may go for good. */
enum olv_ending_permission {
    OLV_ENDING_REFUSED,
    OLV_ENDING_ALLOWED,
    OLV_ENDING_ASKS,      /* yes or no */
    OLV_ENDING_ASKS_COUNT /* asks for the count to be typed */
};
enum olv_ending_permission olv_permission_to_end(const struct olv_allowance *allowance, uint64_t files,
                                                 uint64_t directories, uint64_t all);

struct olv_question {
    enum {
        OLV_ASKS_RULE,        /* may the rule do its steps? no, yes, each, stop */
        OLV_ASKS_RULE_ENDING, /* may it do what ends for good, asked apart? the same answers */
        OLV_ASKS_RULE_COUNT,  /* yes: the right count of what it ends for good was typed */
        OLV_ASKS_TRASH,       /* may the policy's `trash` go? no, yes */
        OLV_ASKS_TRASH_COUNT
    } kind;
    size_t rule;              /* index; for the trash: the number of rules */
    bool is_apart;            /* OLV_ASKS_RULE: what ends for good has a question of its own */
    struct olv_excess excess; /* of a rule */
    uint64_t files, bytes;    /* for the others: what would go for good; for the trash, items, */
    uint64_t directories,
        inside; /* of which so many are directories; and for the trash, the files in all of it */
};
enum olv_answer { OLV_ANSWER_NO, OLV_ANSWER_YES, OLV_ANSWER_EACH, OLV_ANSWER_STOP };

struct olv_permission;
/* All arguments must outlive it. `selected` is per rule; NULL: all. NULL without memory. */
struct olv_permission *olv_permission_new(const struct olv_policy *policy, const struct olv_plan *plan,
                                          const bool *selected, const struct olv_allowance *allowance);
void olv_permission_free(struct olv_permission *permission);

/* The next question to answer. False: there are no more. */
bool olv_permission_next(struct olv_permission *permission, struct olv_question *out);
void olv_permission_answer(struct olv_permission *permission, enum olv_answer answer);

/* Whether an entry of the plan's docket may be carried out. OLV_ANSWER_EACH: ask about this one. */
enum olv_answer olv_permission_of(const struct olv_permission *permission,
                                  const struct olv_docket_entry *entry);
/* Answers: yes to the rest of the entry's rule, of what can be taken back as the entry can or cannot; or
 * stop.
 */
void olv_permission_rest(struct olv_permission *permission, const struct olv_docket_entry *entry);
void olv_permission_stop(struct olv_permission *permission);

/* What was left undone for lack of permission. */
struct olv_unpermitted {
    uint64_t not_asked;   /* files and directories, because nobody could be asked */
    uint64_t not_counted; /* files and items that needed their count */
    uint64_t trash_items; /* of those, items of the trash */
    uint64_t over_limit;  /* files of rules that were refused as a whole */
    uint64_t count;       /* the count that would have been right */
};
struct olv_unpermitted olv_permission_lacks(const struct olv_permission *permission);
/* Whether a rule was refused as a whole, with the limit; `files`: how many it would have touched. */
bool olv_permission_refused(const struct olv_permission *permission, size_t rule, struct olv_excess *out,
                            uint64_t *files);

#endif
