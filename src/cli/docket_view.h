/* SPDX-License-Identifier: Apache-2.0 */
/* A docket as a list. */
#ifndef OLV_CLI_DOCKET_VIEW_H
#define OLV_CLI_DOCKET_VIEW_H

#include "cli/cli.h"
#include "olvido/docket.h"

/* Which entries of the docket to list. */
struct docket_filter {
    bool by_rule;
    uint32_t rule;
    enum { DOCKET_ALL, DOCKET_TOLD, DOCKET_TOUCHED } which; /* `tell`, or what changes anything */
    uint64_t most; /* rows; 0: all. What is left out is counted in a last line. */
};
/* Oldest first. */
bool docket_print(struct cli *cli, struct olv_spool *docket, struct docket_filter filter, bool as_json,
                  struct olv_error *err);

#endif
