/* SPDX-License-Identifier: Apache-2.0 */
/* What a file would have to be like for a statement to be true of it. */
#ifndef OLV_POLICY_EXAMPLE_H
#define OLV_POLICY_EXAMPLE_H

#include "olvido/expr.h"

enum { EXAMPLE_TEXT = 512 };

struct example_range {
    uint64_t least, most;
};

/* As far as the statement asks for it; what it does not ask for has a default. */
struct example {
    enum olv_kind kind;
    char path[EXAMPLE_TEXT]; /* below `under`: directories and name */
    struct example_range size_bytes, links, depth;
    bool wants_readonly, wants_world_writable, wants_empty;
    bool has_mode, has_owner, has_group;
    uint32_t mode, owner, group;
};

/* `star` stands where a pattern would take anything. Of alternatives the first one is taken. NULL: any file.
 */
void example_of(const struct olv_expr *expr, const char *star, struct example *out);

#endif
