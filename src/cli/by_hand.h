/* SPDX-License-Identifier: Apache-2.0 */
/* Acts by hand on named paths: they make a docket, ask if necessary, and go the way of all dockets. */
#ifndef OLV_CLI_BY_HAND_H
#define OLV_CLI_BY_HAND_H

#include "cli/cli.h"
#include "olvido/arguments.h"
#include "olvido/named.h"
#include "olvido/run.h"

struct by_hand {
    const char *verb;        /* "compress" */
    const char *consequence; /* a sentence for the question: what happens to what is named */
    const char *nothing;     /* the message if nothing fits */
    bool takes_files;        /* files leave their places: then it asks */
    struct olv_named_options named;
    const char *const *paths; /* NULL: the command's arguments */
    size_t path_count;
};

/* Carries out the act on the command's arguments. */
void by_hand(struct cli *cli, const struct by_hand *act);
/* --if-exists. `asks`: it was `ask`; NULL if nobody can be asked. */
bool by_hand_if_exists(struct cli *cli, enum olv_if_exists *out, bool *asks);
/* The act's arguments, as far as the command's options say them. Free it in any case. */
bool by_hand_arguments(struct cli *cli, const struct olv_act *act, struct olv_arguments *out);
/* When the rest is set: see olv_arguments_complete. */
bool by_hand_complete(struct cli *cli, struct olv_arguments *arguments, const struct olv_depot *depot);

#endif
