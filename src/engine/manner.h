/* SPDX-License-Identifier: Apache-2.0 */
/* How a step of a policy is to be done to an entry: into which format, into which archive. */
#ifndef OLV_ENGINE_MANNER_H
#define OLV_ENGINE_MANNER_H

#include "olvido/docket.h"

/* What was asked last is answered at once. Begins zeroed. */
struct manner {
    const struct olv_step *step;
    struct olv_manner manner;
    struct olv_text name, last_name, path;
};

struct manner_facts {
    const struct olv_policy *policy;
    const struct olv_rule *rule;
    const struct olv_step *step;
    struct olv_instant now;   /* of the run */
    struct olv_instant clock; /* the time that the rule goes by */
    const char *below;        /* the directory of the entry below the rule's `under`, or "" */
};
/* Borrowed until the next call; NULL without memory. */
const struct olv_manner *manner_of(struct manner *manner, const struct manner_facts *facts);
void manner_free(struct manner *manner);

#endif
