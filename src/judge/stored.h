/* SPDX-License-Identifier: Apache-2.0 */
/* Judges what lies in depots: a stored file counts as what it was, where it was. */
#ifndef OLV_JUDGE_STORED_H
#define OLV_JUDGE_STORED_H

#include "judge/judging.h"

struct stored_judge {
    const struct olv_policy *policy;
    const struct judging *judging;
    struct olv_expr_scratch *scratch;
    struct olv_arena arena;        /* of `scope` */
    struct olv_text directory;     /* the directory of `scope` */
    const struct olv_scope *scope; /* NULL: none yet */
    struct olv_text path;
    struct former former; /* of the current item of a trash */
};

bool stored_judge_begin(struct stored_judge *judge, const struct olv_policy *policy,
                        const struct judging *judging);
void stored_judge_end(struct stored_judge *judge);
/* A stored file as a policy's statements see it. */
struct stored_subject {
    struct olv_subject subject; /* first member */
    const struct stored_judge *judge;
    const struct olv_stored_file *file;
    enum olv_destination came_by; /* what brought it where it lies: such a step was done */
    const char *path;             /* its original path */
    struct olv_stat stat;
    uint32_t depth; /* below "/" */
};
/* Sets up the stored file, and in `judge->scope` the rules for its original place; borrows both. False
 * without memory. */
bool stored_subject_begin(struct stored_subject *subject, struct stored_judge *judge,
                          const struct olv_stored_file *file);
/* The same for an item of a trash, which counts as what it was, too; `item` and `file` (scratch) must outlive
 * it. A directory is as old as the youngest entry within; false with `err` also if that cannot be looked at.
 */
bool stored_item_begin(struct stored_subject *subject, struct stored_judge *judge, struct olv_trash *trash,
                       const struct olv_trash_item *item, struct olv_stored_file *file,
                       struct olv_error *err);
/* What a verdict on it means in a depot. */
enum olv_reason stored_reason(const struct olv_policy *policy, const struct olv_verdict *verdict);

/* The verdict: OLV_DUE only if the step can be carried out in a depot. `stat` gets what is known of the file.
 * False without memory. */
bool stored_judge(struct stored_judge *judge, const struct olv_stored_file *file, struct olv_verdict *verdict,
                  struct olv_stat *stat);

#endif
