/* SPDX-License-Identifier: Apache-2.0 */
/* What a file must be like for a statement to be true. */
#ifndef OLV_POLICY_EXAMPLE_H
#define OLV_POLICY_EXAMPLE_H

#include "olvido/expr.h"

enum { EXAMPLE_TEXT = 512 };

struct example_range {
    uint64_t least, most;
};

/* What the statement asks for; the rest has defaults. */
struct example {
    enum olv_kind kind;
    char path[EXAMPLE_TEXT]; /* below `under`: directories and name */
    struct example_range size_bytes, links, depth;
    bool wants_readonly, wants_world_writable, wants_empty;
    bool has_mode, has_owner, has_group;
    uint32_t mode, owner, group;
};

/* `star` replaces wildcards. Of alternatives the first is taken. NULL: any file. */
void example_of(const struct olv_expr *expr, const char *star, struct example *out);

#endif
