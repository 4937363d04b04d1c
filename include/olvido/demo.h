/* SPDX-License-Identifier: Apache-2.0 */
/* Sample data: the made-up Faro Norte tide observatory with eight years of files and a policy for them, or
 * sample files for a policy of one's own. */
#ifndef OLVIDO_DEMO_H
#define OLVIDO_DEMO_H

#include "olvido/calendar.h"
#include "olvido/error.h"
#include "olvido/observer.h"
#include "olvido/policy.h"

#include <limits.h>

struct olv_demo {
    uint64_t files, directories, bytes;
};

/* Writes it into `path`, which must not exist yet or be an empty directory. Times are set relative to `now`.
 */
bool olv_demo_write(const char *path, struct olv_instant now, struct olv_demo *demo, struct olv_error *err);

/* ---- for a policy of one's own ---- */

enum olv_side { OLV_BEFORE, OLV_AFTER }; /* just before the step's time; just after it */

struct olv_sample {
    uint32_t rule, step; /* indexes in the policy, from 0 */
    enum olv_side side;
    struct olv_instant time; /* its pretended time, by the rule's clock */
    char *path;              /* owned; absolute */
    const char *why_not;     /* why it could not be made; NULL: it was made */
};

struct olv_samples {
    struct olv_sample *items; /* ordered by rule, `under`, step and side */
    size_t count, cap;
    char policy[PATH_MAX]; /* the copy of the policy for these samples */
};

/* Writes two files into `path` (new or empty) for each rule, each of its `under` and each step: one just too
 * young for the step at that instant, and one just old enough, each in its own copy of the rule's place; and
 * a copy of the policy for these places. Names come from real files below `under` that the rule's statement
 * matches; without any, they are made up. Only the policy can tell whether the rule really owns them. Free
 * the samples in any case. */
bool olv_demo_for(const char *path, const struct olv_policy *policy, struct olv_instant as_of,
                  const struct olv_observer *observer, struct olv_samples *samples, struct olv_error *err);
void olv_samples_free(struct olv_samples *samples);

#endif
