/* SPDX-License-Identifier: Apache-2.0 */
/* How an explanation looks. */
#ifndef OLV_CLI_EXPLAIN_VIEW_H
#define OLV_CLI_EXPLAIN_VIEW_H

#include "cli/cli.h"
#include "olvido/explain.h"

#include <jansson.h>

struct explain_view {
    const struct cli *cli;
    const struct olv_policy *policy;
    struct olv_instant now, as_of;
};

/* What is there, or lies in a depot: what it is, whose, and what becomes of it. */
void explain_print(const struct explain_view *view, const struct olv_explanation *explanation);
/* The same, added to an object. */
void explain_add_json(const struct explain_view *view, const struct olv_explanation *explanation,
                      json_t *json);

#endif
