/* SPDX-License-Identifier: Apache-2.0 */
/* The arguments of an act: how it is done. Each act has a struct of its own, described by its keys, and one
 * codec reads it from a policy and from the command line, checks, spells, stores and describes it. */
#ifndef OLVIDO_ARGUMENTS_H
#define OLVIDO_ARGUMENTS_H

#include "olvido/act.h"
#include "olvido/error.h"
#include "olvido/text.h"

struct olv_depot;

/* Arguments that are set one by one. Owns its strings. */
struct olv_arguments {
    const struct olv_act *act;
    void *values;   /* the act's struct, for a docket; NULL if it has none */
    uint64_t given; /* bit by bit, in the order of the keys, what was set */
    struct olv_arena *memory;
};

/* Sets the defaults. False without memory; free it in any case. */
bool olv_arguments_begin(struct olv_arguments *arguments, const struct olv_act *act, struct olv_error *err);
/* `key` is one of the act's, `text` what the person wrote. False with OLV_USAGE if it is no such value. */
bool olv_arguments_set(struct olv_arguments *arguments, const char *key, const char *text,
                       struct olv_error *err);
/* When all are set: what depends on others, and whether they fit together. `depot` is the one that they name;
 * NULL: none. False with OLV_USAGE. */
bool olv_arguments_complete(struct olv_arguments *arguments, const struct olv_depot *depot,
                            struct olv_error *err);
void olv_arguments_free(struct olv_arguments *arguments);

/* The act's key of this name; NULL: it has none. */
const struct olv_key *olv_key_of(const struct olv_act *act, const char *name);
/* A word, number, truth or size of an act's struct; 0 if it has no such key. */
uint64_t olv_argument_number(const struct olv_act *act, const void *values, const char *name);
/* Appends how an act is done: " in cold-room". */
void olv_arguments_describe(const struct olv_act *act, const void *values, struct olv_text *out);

#endif
