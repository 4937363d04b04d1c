/* SPDX-License-Identifier: Apache-2.0 */
/* Tests a statement against one file in three values: what cannot be known stays unknown through `not`, and
 * through `and` and `or` unless the other side decides (Kleene's logic). */
#include "policy/expr.h"

#include "base/glob.h"

#include <stdlib.h>
#include <string.h>

enum {
    MATCH_LIMIT = 100000
}; /* PCRE2's steps for one value: far more than any sane pattern needs, well below a second */

struct olv_expr_scratch {
    pcre2_match_data *match;
    pcre2_match_context *limits;
    const struct olv_instant *ages; /* of the statement tested last */
};

struct olv_expr_scratch *olv_expr_scratch_new(void)
{
    struct olv_expr_scratch *scratch = calloc(1, sizeof *scratch);
    if (!scratch)
        return NULL;
    scratch->match = pcre2_match_data_create(1, NULL);
    scratch->limits = pcre2_match_context_create(NULL);
    if (!scratch->match || !scratch->limits) {
        olv_expr_scratch_free(scratch);
        return NULL;
    }
    pcre2_set_match_limit(scratch->limits, MATCH_LIMIT);
    return scratch;
}

void olv_expr_scratch_free(struct olv_expr_scratch *scratch)
{
    if (!scratch)
        return;
    pcre2_match_data_free(scratch->match);
    pcre2_match_context_free(scratch->limits);
    free(scratch);
}

void expr_release(struct olv_expr *expr)
{
    for (struct expr_node *node = expr->regexes; node; node = node->next_regex)
        pcre2_code_free(node->regex);
    expr->regexes = NULL;
}

static void bind(const struct expr_node *node, struct olv_instant now, const struct olv_zone *zone,
                 struct olv_instant *ages)
{
    struct olv_instant before =
        now.ns ? (struct olv_instant){now.s, now.ns - 1} : (struct olv_instant){now.s - 1, 999999999};
    if (!node)
        return;
    bind(node->left, now, zone, ages);
    bind(node->right, now, zone, ages);
    if (node->kind == NODE_COMPARE && node->type == TYPE_DURATION && node->value_count)
        ages[node->age] =
            olv_zone_cutoff(zone, node->comparison == MORE || node->comparison == LESS_OR_SAME ? before : now,
                            node->values[0].duration);
}

struct olv_instant *olv_expr_bind(const struct olv_expr *expr, struct olv_instant now,
                                  const struct olv_zone *zone)
{
    struct olv_instant *ages = calloc(expr->age_count + 1, sizeof *ages);
    if (ages)
        bind(expr->top, now, zone, ages);
    return ages;
}

bool olv_expr_names_kind(const struct olv_expr *expr)
{
    return expr->names_kind;
}

static enum olv_truth truth(bool statement)
{
    return statement ? OLV_YES : OLV_NO;
}

struct bytes {
    const char *data;
    size_t len;
};

/* The suffix is the part after the last dot, unless that dot comes first; the stem is the part before. */
static struct bytes part_of_name(const struct olv_subject *s, bool want_suffix)
{
    size_t dot = s->name_len;
    while (dot > 1 && s->name[dot - 1] != '.')
        dot--;
    if (dot <= 1)
        return want_suffix ? (struct bytes){"", 0} : (struct bytes){s->name, s->name_len};
    return want_suffix ? (struct bytes){s->name + dot, s->name_len - dot} : (struct bytes){s->name, dot - 1};
}

static bool text_of(enum field_id field, struct olv_subject *s, struct bytes *out)
{
    switch (field) {
    case FIELD_STEM:
    case FIELD_SUFFIX:
        *out = part_of_name(s, field == FIELD_SUFFIX);
        return true;
    case FIELD_PATH:
        out->data = s->facts->path(s, &out->len);
        return out->data != NULL;
    default:
        *out = (struct bytes){s->name, s->name_len};
        return true;
    }
}

static enum olv_truth match(const struct expr_node *node, struct bytes text, struct olv_expr_scratch *scratch)
{
    PCRE2_SPTR subject = (PCRE2_SPTR)text.data;
    int code = node->is_compiled /* any bytes will do there: the code was compiled for invalid UTF, too */
                   ? pcre2_jit_match(node->regex, subject, text.len, 0, 0, scratch->match, scratch->limits)
                   : pcre2_match(node->regex, subject, text.len, 0, 0, scratch->match, scratch->limits);
    if (code >= 0)
        return OLV_YES;
    return code == PCRE2_ERROR_NOMATCH ? OLV_NO : OLV_UNKNOWN;
}

static bool is_like(const struct expr_node *node, struct bytes text)
{
    const struct value *value = node->values;
    size_t ending = value->len - 1;
    if (!value->is_ending || node->comparison != LIKE)
        return olv_glob_match(value->text, value->len, text.data, text.len,
                              node->comparison == LIKE_IGNORING_CASE);
    if (text.len < ending)
        return false;
    if (ending && text.data[text.len - 1] != value->text[ending]) /* usually the answer */
        return false;
    if (memcmp(text.data + text.len - ending, value->text + 1, ending) != 0)
        return false;
    return node->field != FIELD_PATH || !memchr(text.data, '/', text.len - ending); /* names have no slash */
}

static bool is_one_of(const struct expr_node *node, struct bytes text)
{
    for (size_t i = 0; i < node->value_count; i++)
        if (node->values[i].len == text.len && memcmp(node->values[i].text, text.data, text.len) == 0)
            return true;
    return false;
}

static enum olv_truth compare_text(const struct expr_node *node, struct olv_subject *s,
                                   struct olv_expr_scratch *scratch)
{
    struct bytes text;
    if (!text_of(node->field, s, &text))
        return OLV_UNKNOWN;
    switch (node->comparison) {
    case LIKE:
    case LIKE_IGNORING_CASE:
        return truth(is_like(node, text));
    case MATCHES:
        return match(node, text, scratch);
    case IS_NOT:
        return truth(!is_one_of(node, text));
    default:
        return truth(is_one_of(node, text));
    }
}

static bool compare_numbers(const struct expr_node *node, uint64_t number)
{
    uint64_t value = node->values[0].number;
    switch (node->comparison) {
    case LESS:
        return number < value;
    case LESS_OR_SAME:
        return number <= value;
    case MORE:
        return number > value;
    case MORE_OR_SAME:
        return number >= value;
    default:
        break;
    }
    for (size_t i = 0; i < node->value_count; i++)
        if (node->values[i].number == number)
            return node->comparison != IS_NOT;
    return node->comparison == IS_NOT;
}

static bool is_within(struct olv_instant t, const struct value *value)
{
    return olv_instant_compare(t, value->from) >= 0 && olv_instant_compare(t, value->until) < 0;
}

static bool compare_dates(const struct expr_node *node, struct olv_instant t)
{
    const struct value *value = node->values;
    switch (node->comparison) {
    case LESS:
        return olv_instant_compare(t, value->from) < 0;
    case LESS_OR_SAME:
        return olv_instant_compare(t, value->until) < 0;
    case MORE:
        return olv_instant_compare(t, value->until) >= 0;
    case MORE_OR_SAME:
        return olv_instant_compare(t, value->from) >= 0;
    default:
        break;
    }
    for (size_t i = 0; i < node->value_count; i++)
        if (is_within(t, &value[i]))
            return node->comparison != IS_NOT;
    return node->comparison == IS_NOT;
}

static bool compare_age(const struct expr_node *node, struct olv_instant t, struct olv_instant cutoff)
{
    bool is_old = olv_instant_compare(t, cutoff) <= 0;
    return node->comparison == MORE || node->comparison == MORE_OR_SAME ? is_old : !is_old;
}

static enum olv_truth compare_stat(const struct expr_node *node, const struct olv_stat *stat,
                                   const struct olv_instant *ages)
{
    switch (node->field) {
    case FIELD_SIZE:
        return truth(compare_numbers(node, stat->size_bytes));
    case FIELD_OWNER:
        return truth(compare_numbers(node, stat->owner));
    case FIELD_GROUP:
        return truth(compare_numbers(node, stat->group));
    case FIELD_MODE:
        return truth(compare_numbers(node, stat->mode));
    case FIELD_LINKS:
        return truth(compare_numbers(node, stat->links));
    case FIELD_AGE:
        return truth(compare_age(node, stat->modified, ages[node->age]));
    case FIELD_MODIFIED:
        return truth(compare_dates(node, stat->modified));
    case FIELD_ACCESSED:
        return truth(compare_dates(node, stat->accessed));
    case FIELD_CHANGED:
        return truth(compare_dates(node, stat->changed));
    default: /* FIELD_BORN */
        return stat->has_born ? truth(compare_dates(node, stat->born)) : OLV_UNKNOWN;
    }
}

static const struct olv_stat *look(struct olv_subject *s)
{
    return s->stat ? s->stat : s->facts->look(s);
}

static enum olv_truth test_compare(const struct expr_node *node, struct olv_subject *s,
                                   struct olv_expr_scratch *scratch)
{
    const struct olv_stat *stat;
    if (node->type == TYPE_TEXT)
        return compare_text(node, s, scratch);
    if (node->field == FIELD_KIND)
        return truth(compare_numbers(node, s->kind));
    if (node->field == FIELD_DEPTH)
        return truth(compare_numbers(node, s->depth));
    stat = look(s);
    return stat ? compare_stat(node, stat, scratch->ages) : OLV_UNKNOWN;
}

static enum olv_truth test_word(enum word_id word, struct olv_subject *s)
{
    const struct olv_stat *stat = look(s);
    if (!stat)
        return OLV_UNKNOWN;
    switch (word) {
    case WORD_EMPTY:
        return s->kind == OLV_KIND_DIRECTORY ? s->facts->is_empty(s)
                                             : truth(s->kind == OLV_KIND_FILE && stat->size_bytes == 0);
    case WORD_OPEN:
        return s->facts->is_open(s);
    case WORD_READONLY:
        return truth(s->kind != OLV_KIND_LINK && (stat->mode & 0222) == 0);
    case WORD_PROTECTED:
        return truth(stat->is_immutable || stat->is_append_only);
    case WORD_WORLD_WRITABLE:
        return truth(s->kind != OLV_KIND_LINK && (stat->mode & 0002) != 0);
    default: /* WORD_HELD */
        return s->facts->is_held ? s->facts->is_held(s) : OLV_NO;
    }
}

enum olv_truth expr_test_node(const struct expr_node *node, struct olv_subject *s,
                              struct olv_expr_scratch *scratch)
{
    enum olv_truth settling, left, right;
    switch (node->kind) {
    case NODE_NOT:
        left = expr_test_node(node->left, s, scratch);
        return left == OLV_UNKNOWN ? left : truth(left == OLV_NO);
    case NODE_WORD:
        return test_word(node->word, s);
    case NODE_COMPARE:
        return test_compare(node, s, scratch);
    default:
        break;
    }
    settling = node->kind == NODE_AND ? OLV_NO : OLV_YES;
    left = expr_test_node(node->left, s, scratch);
    if (left == settling)
        return left;
    right = expr_test_node(node->right, s, scratch);
    return right == settling || left == right ? right : OLV_UNKNOWN;
}

enum olv_truth olv_expr_test(const struct olv_expr *expr, const struct olv_instant *ages,
                             struct olv_subject *subject, struct olv_expr_scratch *scratch)
{
    scratch->ages = ages;
    if (!expr->names_kind && subject->kind != OLV_KIND_FILE)
        return OLV_NO;
    return expr_test_node(expr->top, subject, scratch);
}
