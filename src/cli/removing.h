/* SPDX-License-Identifier: Apache-2.0 */
/* What the commands that remove named things have in common: their options. */
#ifndef OLV_CLI_REMOVING_H
#define OLV_CLI_REMOVING_H

#include "cli/by_hand.h"

/* Carries out `act` on what the command line names, in the way that its options say. */
void removing(struct cli *cli, struct by_hand *act, bool needs_tree);

#define REMOVING_OPTIONS                                                                                     \
    OPT_CONTENTS, OPT_TREE, OPT_MATCHING, OPT_NAMES_FROM, OPT_WHERE, OPT_EACH, OPT_YES, OPT_COUNT_TYPED,     \
        OPT_PREVIEW

#endif
