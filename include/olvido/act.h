/* SPDX-License-Identifier: Apache-2.0 */
/* Acts: what can be done to a file. Each is one descriptor in one file of src/act/ and one line in the table.
 */
#ifndef OLVIDO_ACT_H
#define OLVIDO_ACT_H

#include "olvido/word.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum olv_trait {
    OLV_TOUCHES = 1 << 0,      /* changes something on disk; acts without it never ask and spare nothing */
    OLV_FINAL = 1 << 1,        /* cannot be taken back */
    OLV_LIMITED = 1 << 2,      /* limits count it */
    OLV_OUTLIVED = 1 << 3,     /* the file survives it, so it is remembered, and not done twice */
    OLV_WHOLE = 1 << 4,        /* also takes whole directories */
    OLV_BY_HAND_ONLY = 1 << 5, /* not allowed as a step of a policy */
    OLV_IN_STORES = 1 << 6,    /* as a step, it also reaches what lies in depots and in the trash */
    OLV_KEEPS = 1 << 7,        /* does nothing; its time ends the steps before it */
    OLV_AGAIN_IF_CHANGED = 1 << 8,   /* outlived: done again when the contents have changed, */
    OLV_AGAIN_IF_OTHERWISE = 1 << 9, /* or when a step says it with other arguments */
    OLV_FORMER = 1 << 10,            /* outlived: rules go on judging the file as what it was before */
    OLV_NEVER_LAPSES = 1 << 11,      /* as a step, it is due before a later one whose time has come, too */
    OLV_SOURCE_STAYS = 1 << 12,      /* changes nothing of the file, so no guard keeps it from that */
    OLV_EMPTY_ONLY = 1 << 13,        /* takes directories, each by itself, and only empty ones */
    OLV_ATTRIBUTES_ONLY = 1 << 14,   /* changes only attributes of the file or directory itself: its own and
                                       its directory's do not keep it from that */
    OLV_PROTECTS = 1 << 15,          /* keeps acts that remove or replace off the file, */
    OLV_LIFTS = 1 << 16              /* until such a one */
};

/* Where the file is afterwards. */
enum olv_destination { OLV_STAYS, OLV_TO_TRASH, OLV_TO_DEPOT, OLV_TO_NOWHERE, OLV_BACK, OLV_DESTINATIONS };

/* ---- arguments: how an act is done, as a step of a policy or the command line says ---- */

/* What an argument is, and the member it has in its act's struct. These numbers are not stored. */
enum olv_key_type {
    OLV_KEY_WORD,     /* int: one of a list of words */
    OLV_KEY_NUMBER,   /* int: a whole number */
    OLV_KEY_TRUTH,    /* bool */
    OLV_KEY_DURATION, /* struct olv_duration */
    OLV_KEY_SIZE,     /* uint64_t: bytes */
    OLV_KEY_TEXT,     /* const char *, as all that follow; never NULL */
    OLV_KEY_DEPOT,    /* the name of a depot of the policy */
    OLV_KEY_TEMPLATE, /* of a path: "{dir}/{name}.old" */
    OLV_KEY_PATH,     /* absolute, or "" */
    OLV_KEY_TYPES
};

/* Who says it: a step of a policy, an option of the command line, or nobody, because it follows from the
 * entry when a docket is made. */
enum olv_key_by { OLV_BY_NOBODY, OLV_BY_STEP, OLV_BY_OPTION, OLV_BY_BOTH = OLV_BY_STEP | OLV_BY_OPTION };

struct olv_key {
    const char *name; /* in a policy, and with "--" on the command line */
    enum olv_key_type type;
    size_t at; /* offset of its member in the act's struct */
    enum olv_key_by by;
    bool is_required;             /* in a step */
    const struct olv_word *words; /* OLV_KEY_WORD: which */
    int least, most;              /* OLV_KEY_NUMBER */
    const char *usual;            /* the default, as it would be written. NULL: zero or "" */
    const char *said_as;          /* what comes before it in questions and explanations, as in " in "
                                     cold-room; NULL: not mentioned */
    const char *about;            /* a sentence for the schema and the page of the policy */
};

struct hooks;
struct manner;
struct olv_docket_entry;
struct olv_ledger_record;
struct olv_text;

/* In which order a docket is carried out; the acts of a docket may differ in it. */
enum olv_order {
    OLV_BY_DIRECTORY, /* as it was made */
    OLV_BY_KEY,       /* what belongs together (see `group_key` of the hooks) one after the other */
    OLV_BOTTOM_UP     /* what is in a directory before the directory */
};

/* What takes an outcome back: another act, on what lies at this path. Strings are borrowed from the record.
 */
struct olv_inverse {
    const struct olv_act *act;
    const char *path;
    const char *original;  /* of the copy that lies there; "" */
    bool makes_it;         /* nothing lies there: it is made again, with the arguments that the act had */
    const void *arguments; /* of the act, if it has any and `makes_it` is not set; */
    uint64_t room[4];      /* they may be in here */
};
struct completing;

struct olv_act {
    const char *word; /* "discard": used in policies, questions, tables and the ledger */
    const char *past; /* "discarded": used in closing lines */
    uint8_t wire;     /* its number in dockets: assigned once, never reused; below OLV_ACTS_MOST */
    unsigned traits;  /* enum olv_trait */
    enum olv_destination destination;
    enum olv_order order;
    const char *back;           /* how to take it back where `recover --run` cannot; or NULL */
    const struct olv_key *keys; /* of its arguments, ended by one without a name; or NULL */
    size_t arguments;           /* size of the struct that has them; 0: none */
    /* After all keys are read: sets what was not given and depends on others, and checks what must fit. May
     * be NULL. */
    bool (*complete)(void *arguments, const struct completing *completing);
    /* For an act with a destination that follows from its arguments: appends it. NULL: there is none, or the
     * maker of a docket says it. False without memory. */
    bool (*target)(const void *arguments, const struct olv_docket_entry *entry, struct olv_text *out);
    /* Whether a file that somebody has open for writing is spared; NULL: it is. */
    bool (*minds_writers)(const void *arguments);
    /* How many bytes a name becomes longer by it; NULL: none. */
    size_t (*lengthens)(const void *arguments);
    /* What `recover --run` does to take back what this line of the ledger says was done; false: nothing can.
     * NULL: what went to the trash or to a depot is given back. */
    bool (*inverse)(const struct olv_ledger_record *done, struct olv_inverse *out);
    const struct manner *manner; /* how it ends a file; NULL: it unlinks it, if it ends any */
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
