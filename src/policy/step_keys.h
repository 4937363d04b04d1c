/* SPDX-License-Identifier: Apache-2.0 */
/* The keys of an act in a step of a policy, besides `after`, `do` and `unattended`. Each act has a list of
 * its own, from which they are read, checked, described and put into the JSON Schema. */
#ifndef OLV_POLICY_STEP_KEYS_H
#define OLV_POLICY_STEP_KEYS_H

#include "olvido/policy.h"
#include <limits.h>

struct reader;
struct fy_node;

/* A step's values before they are set: OLV_CODEC_COUNT as its codec, and this as its level. */
enum { NO_LEVEL = INT_MIN };

/* A kind of value, with its own member of a step. */
struct step_value {
    void (*read)(struct reader *r, struct fy_node *value, void *step);
    /* After reading all keys of the step, in the order of the act's list: sets what was not given, and
     * complains about what does not fit. `given` is NULL if it was not given. May be NULL. */
    void (*complete)(struct reader *r, struct fy_node *given, struct olv_step *step);
    /* Appends it in words, for the digest of a rule and for people. */
    void (*spell)(const struct olv_step *step, struct olv_text *out);
    const char *said_as; /* what comes before it in questions and explanations, as in " in " cold-room; NULL:
                            not mentioned */
    const char *schema;  /* its members in the JSON Schema */
};

extern const struct step_value step_format, /* of a compressed file */
    step_pack,                              /* of an archive */
    step_level,                             /* of either; listed after it */
    step_depot, step_one_per, step_text;    /* a string, for acts that need one */

struct step_key {
    const char *name;
    const struct step_value *value;
    bool is_required;
    const char *about; /* for the schema */
};

#endif
