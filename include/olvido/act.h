/* SPDX-License-Identifier: Apache-2.0 */
/* Acts: what can be done to a file. Each is one descriptor in one file of src/act/ and one line in the table.
 */
#ifndef OLVIDO_ACT_H
#define OLVIDO_ACT_H

#include <stdint.h>

enum olv_trait {
    OLV_TOUCHES = 1 << 0,   /* changes something on disk; acts without it never ask and spare nothing */
    OLV_FINAL = 1 << 1,     /* cannot be taken back */
    OLV_LIMITED = 1 << 2,   /* limits count it */
    OLV_OUTLIVED = 1 << 3,  /* the file survives it, so a trace of the step is kept */
    OLV_WHOLE = 1 << 4,     /* also takes whole directories */
    OLV_BY_POLICY = 1 << 5, /* allowed as a step of a policy */
    OLV_IN_DEPOTS = 1 << 6, /* as a step, it also reaches files in depots */
    OLV_KEEPS = 1 << 7      /* does nothing; its time ends the steps before it */
};

/* Where the file is afterwards. */
enum olv_destination { OLV_STAYS, OLV_TO_TRASH, OLV_TO_DEPOT, OLV_TO_NOWHERE, OLV_BACK, OLV_DESTINATIONS };

struct step_key;
struct hooks;

struct olv_act {
    const char *word; /* "discard": used in policies, questions, tables and the ledger */
    const char *past; /* "discarded": used in closing lines */
    uint8_t wire;     /* its number in dockets: assigned once, never reused; below OLV_ACTS_MOST */
    unsigned traits;  /* enum olv_trait */
    enum olv_destination destination;
    const char *back;            /* how to take it back where `recover --run` cannot; or NULL */
    const struct step_key *keys; /* the step's own keys, ended by one without a name; or NULL */
    const struct hooks *hooks;   /* NULL for `keep`, and for acts that each place does in its own way: */
    enum olv_way { OLV_NO_WAY, OLV_GIVE, OLV_END, OLV_WAYS } way;
};

enum { OLV_ACTS_MOST = 64 };

/* All acts, in the order of closing lines; ends with NULL. */
extern const struct olv_act *const olv_acts[];
/* NULL if there is none. */
const struct olv_act *olv_act_named(const char *word);
const struct olv_act *olv_act_of_wire(uint8_t wire);

#endif
