/* SPDX-License-Identifier: Apache-2.0 */
/* A statement outside a policy: it owns the arena that it lives in. */
#include "policy/diagnostic.h"
#include "policy/expr.h"

#include "olvido/accounts.h"

#include <string.h>

struct compiling {
    struct policy_text source;
    struct olv_diagnostics *list;
};

static void statement_complain(void *self, const struct expr_complaint *c)
{
    struct compiling *compiling = self;
    diagnose(compiling->list, &compiling->source, (struct position){c->offset, c->len},
             (struct complaint){c->message, c->expected, c->nearest, false});
}

struct olv_expr *olv_expr_compile(const char *text, const struct olv_zone *zone, struct olv_diagnostics *list)
{
    struct olv_arena arena = {0};
    size_t len = strlen(text);
    const char *copy = olv_arena_copy(&arena, text, len);
    struct compiling compiling = {{copy, len}, list};
    struct expr_parse_options options = {&compiling, statement_complain, olv_user_id, olv_group_id, zone};
    struct olv_expr *expr = copy ? expr_parse(copy, len, &arena, &options) : NULL;
    if (expr)
        expr->own = arena;
    else
        olv_arena_free(&arena);
    return expr;
}

void olv_expr_free(struct olv_expr *expr)
{
    struct olv_arena arena;
    if (!expr)
        return;
    expr_release(expr);
    arena = expr->own; /* it is in there itself */
    olv_arena_free(&arena);
}
