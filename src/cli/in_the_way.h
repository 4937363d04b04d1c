/* SPDX-License-Identifier: Apache-2.0 */
/* What shows in the way only when things are already going: whether to stop, go on, or take back what went.
 */
#ifndef OLV_CLI_IN_THE_WAY_H
#define OLV_CLI_IN_THE_WAY_H

#include "cli/confirm.h"

enum { IN_THE_WAY_MOST = 8 };

struct in_the_way {
    const struct confirm *confirm;
    char *met[IN_THE_WAY_MOST]; /* reasons that were asked about: going on goes for each of the kind */
    size_t count;
    bool takes_back; /* the answer */
};

/* Listens until the end, if somebody can be asked and did not answer beforehand. */
void in_the_way_begin(struct in_the_way *way, const struct confirm *confirm);
void in_the_way_end(struct in_the_way *way);

#endif
