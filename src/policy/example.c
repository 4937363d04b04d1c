/* SPDX-License-Identifier: Apache-2.0 */
/* Walks the statement once; each part adds its wish. Conflicting wishes are not detected: whoever makes the
 * file tests the statement. */
#include "policy/example.h"

#include "base/example.h"
#include "policy/expr.h"

#include <stdio.h>
#include <string.h>

struct wishing {
    struct example *out;
    const char *star;
    bool may_go_on; /* anything may follow the name */
    char name[EXAMPLE_TEXT], stem[EXAMPLE_TEXT], suffix[EXAMPLE_TEXT], path[EXAMPLE_TEXT];
};

static char *text_wish(struct wishing *w, enum field_id field)
{
    switch (field) {
    case FIELD_NAME:
        return w->name;
    case FIELD_STEM:
        return w->stem;
    case FIELD_SUFFIX:
        return w->suffix;
    default:
        return w->path;
    }
}

static void wish_text(struct wishing *w, const struct expr_node *node)
{
    const struct value *value = node->values;
    struct olv_text text = {0};
    if (node->comparison == MATCHES)
        olv_regex_example(&text, value->text, value->len);
    else if (node->comparison == LIKE || node->comparison == LIKE_IGNORING_CASE)
        olv_glob_example(&text, value->text, value->len, w->star);
    else
        olv_text_add(&text, value->text, value->len);
    if (node->field == FIELD_NAME && value->len)
        w->may_go_on = node->comparison == MATCHES
                           ? value->text[value->len - 1] != '$'
                           : node->comparison >= LIKE && value->text[value->len - 1] == '*';
    snprintf(text_wish(w, node->field), EXAMPLE_TEXT, "%s", olv_text_string(&text));
    olv_text_free(&text);
}

static void wish_number(struct example_range *range, enum comparison comparison, uint64_t n)
{
    if (comparison == LESS && n > 0)
        range->most = n - 1 < range->most ? n - 1 : range->most;
    else if (comparison == LESS_OR_SAME)
        range->most = n < range->most ? n : range->most;
    else if (comparison == MORE && n < UINT64_MAX)
        range->least = n + 1 > range->least ? n + 1 : range->least;
    else if (comparison == MORE_OR_SAME)
        range->least = n > range->least ? n : range->least;
    else if (comparison == IS || comparison == IN)
        *range = (struct example_range){n, n};
    else if (comparison == IS_NOT && n == range->least)
        range->least++;
}

static enum comparison opposite(enum comparison c)
{
    static const enum comparison opposites[] = {
        [IS] = IS_NOT,         [IS_NOT] = IS,         [LESS] = MORE_OR_SAME, [LESS_OR_SAME] = MORE,
        [MORE] = LESS_OR_SAME, [MORE_OR_SAME] = LESS, [IN] = IS_NOT};
    return opposites[c];
}

static void wish_fact(struct wishing *w, const struct expr_node *node, enum comparison comparison)
{
    struct example *out = w->out;
    uint64_t n = node->values[0].number;
    bool is_same = comparison == IS || comparison == IN;
    if (node->field == FIELD_SIZE)
        wish_number(&out->size_bytes, comparison, n);
    else if (node->field == FIELD_LINKS)
        wish_number(&out->links, comparison, n);
    else if (node->field == FIELD_DEPTH)
        wish_number(&out->depth, comparison, n);
    else if (node->field == FIELD_KIND && is_same)
        out->kind = (enum olv_kind)n;
    else if (node->field == FIELD_MODE && is_same)
        out->has_mode = (out->mode = (uint32_t)n, true);
    else if (node->field == FIELD_OWNER && is_same)
        out->has_owner = (out->owner = (uint32_t)n, true);
    else if (node->field == FIELD_GROUP && is_same)
        out->has_group = (out->group = (uint32_t)n, true);
}

static void wish_word(struct wishing *w, enum word_id word, bool is_wanted)
{
    if (word == WORD_EMPTY && is_wanted)
        w->out->wants_empty = true;
    else if (word == WORD_EMPTY)
        wish_number(&w->out->size_bytes, MORE, 0);
    else if (word == WORD_READONLY && is_wanted)
        w->out->wants_readonly = true;
    else if (word == WORD_WORLD_WRITABLE && is_wanted)
        w->out->wants_world_writable = true;
}

static void wish(struct wishing *w, const struct expr_node *node, bool is_wanted)
{
    bool is_text;
    switch (node->kind) {
    case NODE_AND:
    case NODE_OR:
        wish(w, node->left, is_wanted);
        if ((node->kind == NODE_AND) == is_wanted) /* otherwise one of the two is enough */
            wish(w, node->right, is_wanted);
        return;
    case NODE_NOT:
        wish(w, node->left, !is_wanted);
        return;
    case NODE_WORD:
        wish_word(w, node->word, is_wanted);
        return;
    default:
        is_text = node->type == TYPE_TEXT;
        if (is_text && is_wanted == (node->comparison != IS_NOT))
            wish_text(w, node);
        else if (!is_text && node->value_count)
            wish_fact(w, node, is_wanted ? node->comparison : opposite(node->comparison));
    }
}

/* Composes the name from the wishes about it and its parts, after the directories. */
static void example_compose(struct wishing *w)
{
    struct example *out = w->out;
    size_t used = 0;
    uint64_t depth = 1;
    if (*w->path) {
        snprintf(out->path, sizeof out->path, "%s", w->path);
        return;
    }
    for (; depth < out->depth.least && used + 5 < sizeof out->path; depth++)
        used += (size_t)snprintf(out->path + used, sizeof out->path - used, "deep/");
    if (*w->name)
        snprintf(out->path + used, sizeof out->path - used, "%s%s%s", w->name,
                 w->may_go_on && *w->suffix ? "." : "", w->may_go_on ? w->suffix : "");
    else
        snprintf(out->path + used, sizeof out->path - used, "%s%s%s", *w->stem ? w->stem : w->star,
                 *w->suffix ? "." : "", w->suffix);
}

void example_of(const struct olv_expr *expr, const char *star, struct example *out)
{
    struct wishing w = {.out = out, .star = star};
    const struct example_range any = {0, UINT64_MAX};
    *out = (struct example){.kind = OLV_KIND_FILE, .size_bytes = any, .links = any, .depth = any};
    if (expr)
        wish(&w, expr->top, true);
    example_compose(&w);
}
