/* SPDX-License-Identifier: Apache-2.0 */
/* Acts: what is done to a file. Each is one descriptor in one file of src/act/, and one line of the table. */
#ifndef OLVIDO_ACT_H
#define OLVIDO_ACT_H

#include <stdint.h>

enum olv_trait {
    OLV_TOUCHES = 1 << 0,    /* changes something on the disk: else nobody is asked, and nothing is spared */
    OLV_FINAL = 1 << 1,      /* cannot be taken back */
    OLV_TAKES_AWAY = 1 << 2, /* the file leaves its place: limits count it */
    OLV_OUTLIVED = 1 << 3,   /* the file is there afterwards: that it had this step is remembered */
    OLV_WHOLE = 1 << 4,      /* takes whole directories, too */
    OLV_BY_POLICY = 1 << 5,  /* a step of a policy can do it */
    OLV_IN_DEPOTS = 1 << 6,  /* such a step reaches what lies in depots */
    OLV_KEEPS = 1 << 7       /* does nothing: its time ends that of the steps before it */
};

/* Where the file is afterwards. */
enum olv_destination { OLV_STAYS, OLV_TO_TRASH, OLV_TO_DEPOT, OLV_TO_NOWHERE, OLV_BACK, OLV_DESTINATIONS };

struct step_key;
struct hooks;

struct olv_act {
    const char *word; /* "discard": in policies, questions, tables and the ledger */
    const char *past; /* "discarded": in closing lines */
    uint8_t wire;     /* its number in dockets: given once, never again; below OLV_ACTS_MOST */
    unsigned traits;  /* enum olv_trait */
    enum olv_destination destination;
    const char *back;            /* how people take it back where `recover --run` does not; or NULL */
    const struct step_key *keys; /* its own keys of a step, up to one without a name; or NULL */
    const struct hooks *hooks;   /* NULL: `keep`, or an act that every place has a way of its own for: */
    enum olv_way { OLV_NO_WAY, OLV_GIVE, OLV_END, OLV_WAYS } way;
};

enum { OLV_ACTS_MOST = 64 };

/* All acts, in the order of closing lines; NULL is last. */
extern const struct olv_act *const olv_acts[];
/* NULL where there is none. */
const struct olv_act *olv_act_named(const char *word);
const struct olv_act *olv_act_of_wire(uint8_t wire);

#endif
