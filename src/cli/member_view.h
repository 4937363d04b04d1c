/* SPDX-License-Identifier: Apache-2.0 */
/* How a member of an archive looks. */
#ifndef OLV_CLI_MEMBER_VIEW_H
#define OLV_CLI_MEMBER_VIEW_H

#include "cli/table.h"
#include "olvido/member.h"

/* Mode, owner, size, time and path. */
void member_view_row(struct table *table, const struct olv_member *member);
void member_view_json(const struct olv_member *member);

#endif
