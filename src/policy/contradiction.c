/* SPDX-License-Identifier: Apache-2.0 */
/* What is certain about a statement without any file: whether it can be true of a directory, and whether
 * required parts exclude each other. In doubt both answer "it may". */
#include "policy/expr.h"

#include <stdio.h>
#include <string.h>

/* ---- directories ---- */

/* The statement's truth if the kind is `directory` and everything else is unknown. */
static enum olv_truth of_directory(const struct expr_node *node)
{
    enum olv_truth left, right, settling;
    bool is_listed = false;
    switch (node->kind) {
    case NODE_NOT:
        left = of_directory(node->left);
        return left == OLV_UNKNOWN ? left : left == OLV_NO ? OLV_YES : OLV_NO;
    case NODE_WORD:
        return OLV_UNKNOWN;
    case NODE_COMPARE:
        if (node->field != FIELD_KIND)
            return OLV_UNKNOWN;
        for (size_t i = 0; i < node->value_count; i++)
            is_listed |= node->values[i].number == OLV_KIND_DIRECTORY;
        return is_listed == (node->comparison != IS_NOT) ? OLV_YES : OLV_NO;
    default:
        break;
    }
    settling = node->kind == NODE_AND ? OLV_NO : OLV_YES;
    left = of_directory(node->left);
    right = of_directory(node->right);
    if (left == settling || right == settling)
        return settling;
    return left == right ? left : OLV_UNKNOWN;
}

bool expr_can_be_directory(const struct olv_expr *expr)
{
    return expr->names_kind && of_directory(expr->top) != OLV_NO;
}

/* ---- contradictions ---- */

enum { FIELDS = FIELD_DEPTH + 1 };

/* What the parts seen so far allow for each field. */
struct room {
    struct bound {
        uint64_t least, most;
    } numbers[FIELDS];
    const struct value *text[FIELDS]; /* the one value it must have */
    const char *contradiction;
};

static void narrow(struct room *room, const struct expr_node *node)
{
    struct bound *bound = &room->numbers[node->field];
    uint64_t value = node->values[0].number;
    if (node->comparison == IS || node->comparison == MORE_OR_SAME || node->comparison == MORE) {
        uint64_t least = node->comparison == MORE && value < UINT64_MAX ? value + 1 : value;
        bound->least = least > bound->least ? least : bound->least;
    }
    if (node->comparison == IS || node->comparison == LESS_OR_SAME || node->comparison == LESS) {
        uint64_t most = node->comparison == LESS && value > 0 ? value - 1 : value;
        if (node->comparison == LESS && value == 0)
            room->contradiction = "nothing is less than 0";
        bound->most = most < bound->most ? most : bound->most;
    }
    if (bound->least > bound->most && !room->contradiction)
        room->contradiction = "its bounds exclude each other";
}

/* Ages and dates: instants as numbers in the same order. */
static uint64_t ordered(struct olv_instant t)
{
    return (uint64_t)t.s ^ 1ull << 63;
}

static void narrow_date(struct room *room, const struct expr_node *node)
{
    struct bound *bound = &room->numbers[node->field];
    const struct value *value = &node->values[0];
    if (node->comparison == MORE || node->comparison == MORE_OR_SAME || node->comparison == IS) {
        uint64_t least = ordered(node->comparison == MORE ? value->until : value->from);
        bound->least = least > bound->least ? least : bound->least;
    }
    if (node->comparison == LESS || node->comparison == LESS_OR_SAME || node->comparison == IS) {
        uint64_t most = ordered(node->comparison == LESS ? value->from : value->until);
        bound->most = most < bound->most ? most : bound->most;
    }
    if (bound->least > bound->most && !room->contradiction)
        room->contradiction = "its dates exclude each other";
}

static void narrow_age(struct room *room, const struct expr_node *node)
{
    struct bound *bound = &room->numbers[FIELD_AGE];
    struct olv_instant epoch = {946684800, 0}, then = epoch;
    uint64_t age;
    olv_instant_add(epoch, node->values[0].duration, &then);
    age = (uint64_t)(then.s - epoch.s);
    if (node->comparison == MORE || node->comparison == MORE_OR_SAME)
        bound->least = age > bound->least ? age : bound->least;
    else
        bound->most = age < bound->most ? age : bound->most;
    if (bound->least > bound->most && !room->contradiction)
        room->contradiction = "it must be older and younger at once";
}

static void narrow_text(struct room *room, const struct expr_node *node)
{
    const struct value *must = room->text[node->field], *value = &node->values[0];
    if (node->comparison != IS)
        return;
    if (must && (must->len != value->len || memcmp(must->text, value->text, value->len) != 0))
        room->contradiction = "it must have two values at once";
    room->text[node->field] = value;
}

static void narrow_all(struct room *room, const struct expr_node *node)
{
    if (node->kind == NODE_AND) {
        narrow_all(room, node->left);
        narrow_all(room, node->right);
    }
    if (node->kind != NODE_COMPARE || node->value_count != 1)
        return;
    switch (node->type) {
    case TYPE_TEXT:
        narrow_text(room, node);
        return;
    case TYPE_DATE:
        narrow_date(room, node);
        return;
    case TYPE_DURATION:
        narrow_age(room, node);
        return;
    default:
        narrow(room, node);
    }
}

const char *expr_contradiction(const struct olv_expr *expr)
{
    struct room room = {.contradiction = NULL};
    for (size_t i = 0; i < FIELDS; i++)
        room.numbers[i] = (struct bound){0, UINT64_MAX};
    narrow_all(&room, expr->top);
    return room.contradiction;
}
