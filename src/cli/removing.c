/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/removing.h"

#include "cli/named_by.h"

void removing(struct cli *cli, struct by_hand *act, bool needs_tree)
{
    act->named.kinds = ~0u;
    act->named.is_removed = true;
    act->named.only_contents = cli_has(cli, OPT_CONTENTS);
    act->named.directories = needs_tree && !cli_has(cli, OPT_TREE) && !cli_has(cli, OPT_CONTENTS)
                                 ? OLV_NO_DIRECTORIES
                                 : OLV_WHOLE_DIRECTORIES;
    named_by_options(cli, act);
}
