/* SPDX-License-Identifier: Apache-2.0 */
/* Recursive descent over the grammar of docs/policy.md:
 *
 *   either    = both { "or" both }             both = negated { "and" negated }
 *   negated   = "not" negated | "(" either ")" | statement
 *   statement = word | field comparison value | field "in" "(" value { "," value } ")"
 *             | field "like" string [ "ignoring" "case" ] | field "matches" string
 *
 * A wrong word or value is complained about and parsed on; a wrong shape ends the parse. */
#include "policy/parser.h"

#include "base/glob.h"
#include "olvido/nearest.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

enum { DEEPEST = 64, MOST_NODES = 4096 }; /* testing recurses: both limit its stack */

static struct expr_node *either(struct parser *p, unsigned depth);

void parser_complain(struct parser *p, struct token at, const char *expected, const char *nearest,
                     const char *format, ...)
{
    char message[256];
    va_list args;
    va_start(args, format);
    vsnprintf(message, sizeof message, format, args);
    va_end(args);
    p->failed = true;
    p->options->complain(p->options->self,
                         &(struct expr_complaint){at.offset, at.len, message, expected, nearest});
}

void parser_step(struct parser *p)
{
    p->behind = p->token.offset + p->token.len + (p->token.kind == TOKEN_STRING); /* including its quote */
    p->at = p->after;
    p->token = token_next(p->text, p->len, p->at, &p->after);
}

static bool skip(struct parser *p, const char *word)
{
    if (!token_is(p->text, p->token, word))
        return false;
    parser_step(p);
    return true;
}

/* Wrong syntax: what is here instead of what is expected. */
static struct expr_node *wrong(struct parser *p, const char *expected)
{
    struct token t = p->token;
    p->gave_up = true;
    if (t.kind == TOKEN_END)
        parser_complain(p, t, expected, NULL, "the statement ends too early");
    else if (t.kind == TOKEN_UNCLOSED)
        parser_complain(p, t, "a closing quote", NULL, "this string is never closed");
    else
        parser_complain(p, t, expected, NULL, "`%.*s` does not fit here", (int)t.len, p->text + t.offset);
    return NULL;
}

static struct expr_node *new_node(struct parser *p, enum node_kind kind, struct expr_node *left,
                                  struct expr_node *right)
{
    struct expr_node *node = olv_arena_alloc(p->arena, sizeof *node);
    if (!node) {
        p->gave_up = p->failed = true;
        return NULL;
    }
    if (++p->nodes > MOST_NODES && !p->gave_up) {
        p->gave_up = true;
        parser_complain(p, p->token, "at most 4096 parts", NULL, "the statement is too long");
    }
    node->kind = kind;
    node->left = left;
    node->right = right;
    return node;
}

static bool comparison_sign(struct parser *p, enum comparison *out)
{
    static const struct {
        const char *sign;
        enum comparison comparison;
    } signs[] = {{"=", IS},           {"!=", IS_NOT},       {"<", LESS}, {"<=", LESS_OR_SAME},
                 {">", MORE},         {">=", MORE_OR_SAME}, {"in", IN},  {"like", LIKE},
                 {"matches", MATCHES}};
    for (size_t i = 0; i < sizeof signs / sizeof *signs; i++)
        if (skip(p, signs[i].sign)) {
            *out = signs[i].comparison;
            return true;
        }
    return false;
}

/* Whether the type can be compared like that; if not, says how it can. */
static bool parser_fits(struct parser *p, struct token at, const struct field *field,
                        enum comparison comparison)
{
    const char *expected;
    bool is_order = comparison >= LESS && comparison <= MORE_OR_SAME;
    bool is_pattern = comparison == LIKE || comparison == MATCHES;
    bool ok;
    switch (field->type) {
    case TYPE_TEXT:
        ok = !is_order;
        expected = "= != in like matches";
        break;
    case TYPE_DURATION:
        ok = is_order;
        expected = "< <= > >=";
        break;
    case TYPE_USER:
    case TYPE_GROUP:
    case TYPE_KIND:
        ok = !is_order && !is_pattern;
        expected = "= != in";
        break;
    default:
        ok = !is_pattern;
        expected = "= != < <= > >= in";
    }
    if (!ok)
        parser_complain(p, at, expected, NULL, "`%s` cannot be compared with `%.*s`", field->name,
                        (int)at.len, p->text + at.offset);
    return ok;
}

static void add_value(struct parser *p, struct expr_node *node, const struct field *field)
{
    struct value value = {0}, *grown;
    if (!parser_value(p, field, &value) || p->gave_up)
        return;
    if ((node->value_count & (node->value_count - 1)) == 0) { /* full at every power of two */
        grown = olv_arena_alloc(p->arena, (node->value_count ? 2 * node->value_count : 1) * sizeof *grown);
        if (!grown) {
            p->gave_up = p->failed = true;
            return;
        }
        if (node->value_count)
            memcpy(grown, node->values, node->value_count * sizeof *grown);
        node->values = grown;
    }
    node->values[node->value_count++] = value;
}

static void value_list(struct parser *p, struct expr_node *node, const struct field *field)
{
    if (!skip(p, "(")) {
        wrong(p, "a list such as (\"a\", \"b\")");
        return;
    }
    do
        add_value(p, node, field);
    while (!p->gave_up && skip(p, ","));
    if (!p->gave_up && !skip(p, ")"))
        wrong(p, ", or )");
}

static void pattern(struct parser *p, struct expr_node *node)
{
    struct token at = p->token;
    if (at.kind != TOKEN_STRING) {
        wrong(p, node->comparison == LIKE ? "a pattern in quotes, such as \"*.csv\""
                                          : "a regular expression in quotes, such as \"^gauge-[0-9]+\"");
        return;
    }
    add_value(p, node, &(struct field){"", node->field, TYPE_TEXT});
    if (node->value_count)
        node->values[0].is_ending = olv_glob_is_ending(node->values[0].text, node->values[0].len);
    if (node->comparison == MATCHES && !p->gave_up) {
        parser_regex(p, node, at);
    } else if (skip(p, "ignoring")) {
        node->comparison = LIKE_IGNORING_CASE;
        if (!skip(p, "case"))
            wrong(p, "case");
    }
}

static struct expr_node *comparison(struct parser *p, const struct field *field)
{
    struct expr_node *node = new_node(p, NODE_COMPARE, NULL, NULL);
    struct token sign = p->token;
    if (!node)
        return NULL;
    node->field = field->id;
    node->type = field->type;
    p->names_kind |= field->id == FIELD_KIND;
    if (!comparison_sign(p, &node->comparison))
        return wrong(p, "a comparison: = != < <= > >= in like matches");
    if (!p->is_guessing)
        parser_fits(p, sign, field, node->comparison);
    if (node->comparison == IN)
        value_list(p, node, field);
    else if (node->comparison == LIKE || node->comparison == MATCHES)
        pattern(p, node);
    else
        add_value(p, node, field);
    return node;
}

/* Neither a field nor a word: complains, and parses on as if it were a text field. */
static struct expr_node *unknown(struct parser *p, struct token t)
{
    static const struct field anything = {"", FIELD_NAME, TYPE_TEXT};
    size_t count;
    const char *const *names = field_names(&count);
    enum token_kind next = p->token.kind;
    parser_complain(p, t, "a field or a word, such as name, size, age, owner, empty",
                    olv_nearest(p->text + t.offset, t.len, names, count), "there is no field `%.*s`",
                    (int)t.len, p->text + t.offset);
    if (next == TOKEN_END || token_is(p->text, p->token, ")") || token_is(p->text, p->token, "and") ||
        token_is(p->text, p->token, "or"))
        return new_node(p, NODE_WORD, NULL, NULL);
    p->is_guessing = true;
    struct expr_node *node = comparison(p, &anything);
    p->is_guessing = false;
    return node;
}

static struct expr_node *statement(struct parser *p)
{
    struct token t = p->token;
    const struct field *field;
    struct expr_node *node;
    enum word_id word;
    if (t.kind != TOKEN_WORD)
        return wrong(p, "a field, a word, `not` or `(`");
    parser_step(p);
    field = field_find(p->text + t.offset, t.len);
    if (field) {
        node = comparison(p, field);
        if (node) {
            node->offset = t.offset;
            node->text_len = p->behind - t.offset;
        }
        return node;
    }
    if (!word_find(p->text + t.offset, t.len, &word))
        return unknown(p, t);
    if (word == WORD_HELD) /* nothing may rest on a word that means nothing */
        parser_complain(p, t, "a statement without it", NULL,
                        "`held` says nothing yet, because there is no register of holds");
    node = new_node(p, NODE_WORD, NULL, NULL);
    if (node) {
        node->word = word;
        node->offset = t.offset;
        node->text_len = t.len;
    }
    return node;
}

static struct expr_node *negated(struct parser *p, unsigned depth)
{
    struct expr_node *inner;
    if (depth > DEEPEST) {
        p->gave_up = true;
        parser_complain(p, p->token, "at most 64 levels", NULL, "the statement is nested too deeply");
        return NULL;
    }
    if (skip(p, "not")) {
        inner = negated(p, depth + 1);
        return inner && !p->gave_up ? new_node(p, NODE_NOT, inner, NULL) : NULL;
    }
    if (!skip(p, "("))
        return statement(p);
    inner = either(p, depth + 1);
    if (!p->gave_up && !skip(p, ")"))
        return wrong(p, "`and`, `or` or )");
    return inner;
}

static struct expr_node *both(struct parser *p, unsigned depth)
{
    struct expr_node *left = negated(p, depth);
    while (!p->gave_up && skip(p, "and"))
        left = new_node(p, NODE_AND, left, negated(p, depth));
    return left;
}

static struct expr_node *either(struct parser *p, unsigned depth)
{
    struct expr_node *left = both(p, depth);
    while (!p->gave_up && skip(p, "or"))
        left = new_node(p, NODE_OR, left, both(p, depth));
    return left;
}

static bool is_age(const struct expr_node *node)
{
    return node->kind == NODE_COMPARE && node->type == TYPE_DURATION;
}

static void number_ages(struct expr_node *node, size_t *count)
{
    if (!node)
        return;
    if (is_age(node))
        node->age = (*count)++;
    number_ages(node->left, count);
    number_ages(node->right, count);
}

struct olv_expr *expr_parse(const char *text, size_t len, struct olv_arena *arena,
                            const struct expr_parse_options *options)
{
    struct parser p = {.text = text, .len = len, .arena = arena, .options = options};
    struct olv_expr *expr = olv_arena_alloc(arena, sizeof *expr);
    if (!expr)
        return NULL;
    parser_step(&p);
    expr->top = either(&p, 0);
    if (!p.gave_up && p.token.kind != TOKEN_END)
        wrong(&p, "`and`, `or` or the end");
    expr->regexes = p.regexes;
    expr->names_kind = p.names_kind;
    expr->text = text;
    number_ages(expr->top, &expr->age_count);
    if (!p.failed)
        return expr;
    expr_release(expr);
    return NULL;
}
