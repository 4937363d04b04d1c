/* SPDX-License-Identifier: Apache-2.0 */
/* Why a statement is true, false or undecided: names only those parts of `and` and `or` that decide it. */
#include "policy/expr.h"

#include "olvido/accounts.h"
#include "olvido/quantity.h"

#include <string.h>

struct tracing {
    const struct olv_expr *expr;
    struct olv_subject *subject;
    struct olv_expr_scratch *scratch;
    struct olv_instant now;
    struct olv_text *out;
    unsigned parts;
};

/* ---- the value that a part met ---- */

static void put_text(struct olv_text *out, const char *bytes, size_t len)
{
    olv_text_puts(out, "it is \"");
    olv_text_add(out, bytes, len);
    olv_text_puts(out, "\"");
}

static void put_path(struct tracing *t)
{
    size_t len = 0;
    const char *path = t->subject->facts->path(t->subject, &len);
    if (path)
        put_text(t->out, path, len);
    else
        olv_text_puts(t->out, "it cannot be told");
}

static void put_date(struct olv_text *out, struct olv_instant date)
{
    char text[OLV_RFC3339_SIZE];
    olv_text_printf(out, "it is %.19sZ", olv_instant_format(date, text));
}

static void put_size(struct olv_text *out, uint64_t bytes)
{
    char text[OLV_SIZE_TEXT];
    olv_text_printf(out, "it is %s", olv_size_format(bytes, text));
    if (bytes >= 1024)
        olv_text_printf(out, ", %llu bytes", (unsigned long long)bytes);
}

static void put_stat(struct tracing *t, enum field_id field, const struct olv_stat *stat)
{
    char name[64];
    switch (field) {
    case FIELD_SIZE:
        put_size(t->out, stat->size_bytes);
        break;
    case FIELD_AGE:
        olv_text_printf(t->out, "it is %s", olv_age_format(stat->modified, t->now, name));
        break;
    case FIELD_MODIFIED:
        put_date(t->out, stat->modified);
        break;
    case FIELD_ACCESSED:
        put_date(t->out, stat->accessed);
        break;
    case FIELD_CHANGED:
        put_date(t->out, stat->changed);
        break;
    case FIELD_OWNER:
        olv_user_name(stat->owner, name, sizeof name);
        olv_text_printf(t->out, "it is %s", name);
        break;
    case FIELD_GROUP:
        olv_group_name(stat->group, name, sizeof name);
        olv_text_printf(t->out, "it is %s", name);
        break;
    case FIELD_MODE:
        olv_text_printf(t->out, "it is %o", (unsigned)stat->mode);
        break;
    case FIELD_LINKS:
        olv_text_printf(t->out, "it is %llu", (unsigned long long)stat->links);
        break;
    default: /* FIELD_BORN */
        if (stat->has_born)
            put_date(t->out, stat->born);
        else
            olv_text_puts(t->out, "this file system has no birth times");
    }
}

static void put_value(struct tracing *t, const struct expr_node *node)
{
    struct olv_subject *s = t->subject;
    const struct olv_stat *stat;
    switch (node->field) {
    case FIELD_NAME:
    case FIELD_STEM:
    case FIELD_SUFFIX:
        put_text(t->out, s->name, s->name_len);
        return;
    case FIELD_PATH:
        put_path(t);
        return;
    case FIELD_KIND:
        olv_text_printf(t->out, "it is a %s", olv_kind_word(s->kind));
        return;
    case FIELD_DEPTH:
        olv_text_printf(t->out, "it is %u", s->depth);
        return;
    default:
        break;
    }
    stat = s->stat ? s->stat : s->facts->look(s);
    if (stat)
        put_stat(t, node->field, stat);
    else
        olv_text_puts(t->out, "it cannot be examined");
}

/* ---- which parts ---- */

static void put_part(struct tracing *t, const struct expr_node *node, enum olv_truth answer)
{
    static const char *const words[] = {"is false", "is true", "cannot be decided"};
    olv_text_puts(t->out, t->parts++ ? "; `" : "`");
    olv_text_add(t->out, t->expr->text + node->offset, node->text_len);
    olv_text_printf(t->out, "` %s", words[answer]);
    if (node->kind == NODE_COMPARE) {
        olv_text_puts(t->out, ": ");
        put_value(t, node);
    }
}

static void trace(struct tracing *t, const struct expr_node *node, enum olv_truth answer)
{
    enum olv_truth settling, left, right;
    if (node->kind == NODE_WORD || node->kind == NODE_COMPARE) {
        put_part(t, node, answer);
        return;
    }
    left = expr_test_node(node->left, t->subject, t->scratch);
    if (node->kind == NODE_NOT) {
        trace(t, node->left, left);
        return;
    }
    settling = node->kind == NODE_AND ? OLV_NO : OLV_YES;
    right = expr_test_node(node->right, t->subject, t->scratch);
    if (left == answer && (answer == settling || right != answer)) {
        trace(t, node->left, left);
    } else if (right == answer && left != answer) {
        trace(t, node->right, right);
    } else {
        trace(t, node->left, left);
        trace(t, node->right, right);
    }
}

void olv_expr_explain(const struct olv_expr *expr, struct olv_subject *subject,
                      struct olv_expr_scratch *scratch, enum olv_truth answer, struct olv_instant now,
                      struct olv_text *out)
{
    struct tracing t = {.expr = expr, .subject = subject, .scratch = scratch, .now = now, .out = out};
    if (!expr->names_kind && subject->kind != OLV_KIND_FILE)
        olv_text_printf(out, "it names no `kind`, so it is about files, and this is a %s",
                        olv_kind_word(subject->kind));
    else
        trace(&t, expr->top, answer);
}
