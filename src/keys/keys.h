/* SPDX-License-Identifier: Apache-2.0 */
/* The one codec of arguments: each type of key is a row of a table, each argument a member of its act's
 * struct. */
#ifndef OLV_KEYS_KEYS_H
#define OLV_KEYS_KEYS_H

#include "base/arena.h"
#include "base/digest.h"
#include "base/wire.h"
#include "olvido/arguments.h"

enum { KEYS_MOST = 32 }; /* of one act */

/* What is wrong with an argument. */
struct key_fault {
    const char *key;     /* its name */
    const char *against; /* the name of the other one, if two contradict each other; or NULL */
    bool is_value;       /* `what` follows the name of the key */
    char what[160];      /* "cannot be `lz4`", or "xz has no level 30" */
    char expected[160];  /* what would fit; "" if there is nothing to say */
    const char *nearest; /* the known word that was probably meant; or NULL */
};

/* What an act is told when its arguments are completed. */
struct completing {
    const struct olv_act *act;
    uint64_t given;                /* bit by bit, in the order of its keys, what was set */
    const struct olv_depot *depot; /* the one that it names; or NULL */
    struct key_fault *fault;
};

/* The act's struct with all defaults; NULL without memory. Acts without arguments have one of no bytes. */
void *keys_begin(const struct olv_act *act, struct olv_arena *arena);
/* A copy with strings of its own; NULL without memory. */
const void *keys_copy(const struct olv_act *act, const void *values, struct olv_arena *arena);
/* What a person wrote. False with a fault. */
bool key_read(const struct olv_key *key, const char *text, size_t len, void *values, struct olv_arena *arena,
              struct key_fault *fault);
bool keys_complete(void *values, const struct completing *completing);
/* For `complete`: whether it was set. */
bool key_is_given(const struct completing *completing, const char *name);
/* For `complete`: always false. `against` is the key that it contradicts; or NULL. */
bool key_fails(const struct completing *completing, const char *name, const char *against,
               const char *expected, const char *format, ...);
/* Appends it in words, as a person would write it. */
void key_spell(const struct olv_key *key, const void *values, struct olv_text *out);
/* Appends its members in a JSON Schema. */
void key_schema(const struct olv_key *key, struct olv_text *out);

/* Whether a template of a path is absolute, and has no fields but {dir}, {name}, {stem} and {suffix}; and the
 * path that it stands for, of a file of this name in this directory, appended to `out`. */
bool template_is_sound(const char *text);
void template_expand(const char *text, const char *directory, const char *name, struct olv_text *out);

/* A path among them that is longer than `most`; or NULL. */
const char *keys_long_path(const struct olv_act *act, const void *values, size_t most);

/* The bytes of a docket: the same for the same arguments. */
void keys_put(const struct olv_act *act, const void *values, struct olv_text *out);
/* SHA-256 of those that a person says. False without memory. */
bool keys_digest(const struct olv_act *act, const void *values, uint8_t out[OLV_SHA256_SIZE]);
/* NULL if they are broken, or without memory. */
const void *keys_get(const struct olv_act *act, struct wire *wire);

#endif
