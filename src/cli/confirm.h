/* SPDX-License-Identifier: Apache-2.0 */
/* The questions before something is done by hand, with the reasons for asking. */
#ifndef OLV_CLI_CONFIRM_H
#define OLV_CLI_CONFIRM_H

#include "cli/by_hand.h"

struct confirm {
    struct cli *cli;
    const struct by_hand *act;
    const struct olv_named *named;
    bool asks_each, is_rest_allowed, is_stopped; /* about every one */
    bool spares_readonly;                        /* those that nobody may write stay */
    uint64_t declined;                           /* entries, by confirm_entry */
};

/* False after saying that nothing was allowed. */
bool confirm_all(struct confirm *confirm);
/* Whether one by one is to be decided, by confirm_entry. */
bool confirm_is_about_each(const struct confirm *confirm);
bool confirm_entry(void *self, struct olv_docket_entry *entry);
/* Whether somebody is there who can be asked. */
bool confirm_can_ask(const struct confirm *confirm);

#endif
