/* SPDX-License-Identifier: Apache-2.0 */
/* The keys that an act has in a step of a policy, beside `after`, `do` and `unattended`. Each act lists its
 * own; from that list they are read, checked, described, and put into the JSON Schema. */
#ifndef OLV_POLICY_STEP_KEYS_H
#define OLV_POLICY_STEP_KEYS_H

#include "olvido/policy.h"
#include <limits.h>

struct reader;
struct fy_node;

/* What a step has before it was said, or put in: OLV_CODEC_COUNT as its codec, and this as its level. */
enum { NO_LEVEL = INT_MIN };

/* A kind of value. It has a place of its own in a step. */
struct step_value {
    void (*read)(struct reader *r, struct fy_node *value, void *step);
    /* After all keys of the step were read, in the order of the act's list: puts in what was not said, and
     * complains of what does not fit. `given` is NULL where it was not said. May be NULL. */
    void (*complete)(struct reader *r, struct fy_node *given, struct olv_step *step);
    /* Appends it in words, for the digest of a rule and for people. */
    void (*spell)(const struct olv_step *step, struct olv_text *out);
    const char *said_as; /* what stands before it in questions and explanations, as in " in " cold-room; NULL:
                            they do not say it */
    const char *schema;  /* its members in the JSON Schema */
};

extern const struct step_value step_format, /* of a compressed file */
    step_pack,                              /* of an archive */
    step_level,                             /* of either; behind it in the list */
    step_depot, step_one_per, step_text;    /* a string, for an act that needs one */

struct step_key {
    const char *name;
    const struct step_value *value;
    bool is_required;
    const char *about; /* for the schema */
};

#endif
