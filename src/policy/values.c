/* SPDX-License-Identifier: Apache-2.0 */
/* Reads the right-hand side of a comparison, whose form depends on the field. */
#include "policy/parser.h"

#include "olvido/nearest.h"
#include "olvido/quantity.h"

#include <limits.h>
#include <string.h>

enum { SECONDS_PER_DAY = 86400 };

/* A string without its escapes. */
static bool string_value(struct parser *p, struct token t, struct value *out)
{
    const char *from = p->text + t.offset;
    char *copy = olv_arena_alloc(p->arena, t.len + 1), quote = t.offset ? from[-1] : '\0';
    size_t n = 0;
    if (!copy) {
        p->gave_up = p->failed = true;
        return false;
    }
    for (size_t i = 0; i < t.len; i++) {
        if (t.kind == TOKEN_STRING && from[i] == '\\' && i + 1 < t.len && from[i + 1] == quote)
            i++;
        copy[n++] = from[i];
    }
    out->text = copy;
    out->len = n;
    return true;
}

static bool is_unit(const struct parser *p, struct token t)
{
    return t.kind == TOKEN_WORD && !token_is(p->text, t, "and") && !token_is(p->text, t, "or") &&
           !field_find(p->text + t.offset, t.len);
}

/* A value may be several tokens ("1 year 6 months", "10 MiB"): takes pairs of a figure and a word. */
static struct token take_phrase(struct parser *p, bool many)
{
    struct token whole = p->token;
    parser_step(p);
    if (whole.kind != TOKEN_FIGURE)
        return whole;
    while (is_unit(p, p->token)) {
        whole.len = p->token.offset + p->token.len - whole.offset;
        parser_step(p);
        if (!many || p->token.kind != TOKEN_FIGURE)
            break;
        whole.len = p->token.offset + p->token.len - whole.offset;
        parser_step(p);
    }
    return whole;
}

static bool values_refuse(struct parser *p, struct token t, const char *what, const char *expected)
{
    parser_complain(p, t, expected, NULL, "`%.*s` is not a %s", (int)t.len, p->text + t.offset, what);
    return false;
}

static bool size_value(struct parser *p, struct value *out)
{
    struct token t = take_phrase(p, false);
    size_t at;
    if (olv_size_parse(p->text + t.offset, t.len, &out->number, &at))
        return true;
    return values_refuse(p, t, "size", "a size, such as 512, 10 MiB or 1.5 GB");
}

static bool duration_value(struct parser *p, struct value *out)
{
    struct token t = take_phrase(p, true);
    size_t at;
    if (olv_duration_parse(p->text + t.offset, t.len, &out->duration, &at))
        return true;
    return values_refuse(p, t, "duration", "a duration, such as 90 days, 1 year 6 months or P90D");
}

/* A date without a time means that whole day, in the policy's zone. */
static void widen_to_day(const struct olv_zone *zone, struct value *value)
{
    struct olv_date day = olv_date_from_seconds(value->from.s);
    value->from.s = olv_zone_seconds(zone, day);
    day = olv_date_from_seconds(olv_date_to_seconds(day) + SECONDS_PER_DAY);
    value->until = (struct olv_instant){olv_zone_seconds(zone, day), 0};
}

static bool date_value(struct parser *p, struct value *out)
{
    enum { DATE_ONLY = 10 };
    struct token t = p->token;
    size_t at;
    parser_step(p);
    if (!olv_instant_parse(p->text + t.offset, t.len, &out->from, &at))
        return values_refuse(p, t, "date",
                             "a date as in RFC 3339, such as 2026-01-31 or 2026-01-31T14:05:00Z");
    out->until = (struct olv_instant){out->from.s, out->from.ns + 1};
    if (t.len == DATE_ONLY)
        widen_to_day(p->options->zone, out);
    return true;
}

static bool digits_value(const char *text, size_t len, unsigned base, uint64_t most, uint64_t *out)
{
    uint64_t value = 0;
    for (size_t i = 0; i < len; i++) {
        unsigned digit = (unsigned)((unsigned char)text[i] - '0');
        if (digit >= base || value > (most - digit) / base)
            return false;
        value = value * base + digit;
    }
    *out = value;
    return len > 0;
}

static bool octal_value(struct parser *p, struct value *out)
{
    struct token t = p->token;
    parser_step(p);
    if (digits_value(p->text + t.offset, t.len, 8, 07777, &out->number))
        return true;
    return values_refuse(p, t, "mode", "an octal mode up to 7777, such as 644");
}

static bool count_value(struct parser *p, struct value *out)
{
    struct token t = p->token;
    parser_step(p);
    if (digits_value(p->text + t.offset, t.len, 10, INT64_MAX, &out->number))
        return true;
    return values_refuse(p, t, "number", "a whole number");
}

static bool account_value(struct parser *p, bool is_user, struct value *out)
{
    struct token t = p->token;
    bool (*find)(const char *, uint32_t *) = is_user ? p->options->user_id : p->options->group_id;
    uint32_t id;
    parser_step(p);
    if (digits_value(p->text + t.offset, t.len, 10, UINT32_MAX, &out->number))
        return true;
    if (!string_value(p, t, out))
        return false;
    if (find && find(out->text, &id)) {
        out->number = id;
        return true;
    }
    parser_complain(p, t, is_user ? "a user's name or number" : "a group's name or number", NULL,
                    "this machine knows no %s `%s`", is_user ? "user" : "group", out->text);
    return false;
}

static bool kind_value(struct parser *p, struct value *out)
{
    static const char *const kinds[] = {"file", "directory", "link", "socket", "pipe", "device"};
    struct token t = p->token;
    parser_step(p);
    for (size_t i = 0; i < sizeof kinds / sizeof *kinds; i++)
        if (strlen(kinds[i]) == t.len && memcmp(kinds[i], p->text + t.offset, t.len) == 0) {
            out->number = OLV_KIND_FILE + i;
            return true;
        }
    parser_complain(p, t, "file, directory, link, socket, pipe or device",
                    olv_nearest(p->text + t.offset, t.len, kinds, sizeof kinds / sizeof *kinds),
                    "`%.*s` is not a kind", (int)t.len, p->text + t.offset);
    return false;
}

static bool text_value(struct parser *p, const struct field *field, struct value *out)
{
    struct token t = p->token;
    if (t.kind == TOKEN_WORD && !p->is_guessing)
        parser_complain(p, t, "a value in quotes", NULL, "`%s` is compared with text in quotes", field->name);
    parser_step(p);
    return string_value(p, t, out);
}

bool parser_value(struct parser *p, const struct field *field, struct value *out)
{
    enum token_kind kind = p->token.kind;
    if (kind == TOKEN_END || kind == TOKEN_SIGN || kind == TOKEN_STRANGE || kind == TOKEN_UNCLOSED) {
        struct token t = p->token;
        p->gave_up = true;
        if (kind == TOKEN_UNCLOSED)
            parser_complain(p, t, "a closing quote", NULL, "this string is never closed");
        else
            parser_complain(p, t, "a value", NULL, "the value is missing");
        return false;
    }
    if (p->is_guessing) {
        take_phrase(p, true);
        return true;
    }
    switch (field->type) {
    case TYPE_SIZE:
        return size_value(p, out);
    case TYPE_DURATION:
        return duration_value(p, out);
    case TYPE_DATE:
        return date_value(p, out);
    case TYPE_OCTAL:
        return octal_value(p, out);
    case TYPE_COUNT:
        return count_value(p, out);
    case TYPE_KIND:
        return kind_value(p, out);
    case TYPE_USER:
    case TYPE_GROUP:
        return account_value(p, field->type == TYPE_USER, out);
    default:
        return text_value(p, field, out);
    }
}

void parser_regex(struct parser *p, struct expr_node *node, struct token at)
{
    PCRE2_UCHAR message[160];
    PCRE2_SIZE offset;
    int code;
    const struct value *value = node->value_count ? &node->values[0] : NULL;
    if (!value || p->is_guessing)
        return;
    node->regex = pcre2_compile((PCRE2_SPTR)value->text, value->len, PCRE2_UTF | PCRE2_MATCH_INVALID_UTF,
                                &code, &offset, NULL);
    if (!node->regex) {
        pcre2_get_error_message(code, message, sizeof message);
        if (offset < at.len) {
            at.offset += offset;
            at.len = 1;
        }
        parser_complain(p, at, "a Perl-compatible regular expression (PCRE2)", NULL,
                        "in the regular expression: %s", (const char *)message);
        return;
    }
    node->is_compiled =
        pcre2_jit_compile(node->regex, PCRE2_JIT_COMPLETE) == 0; /* without it: slower, but the same */
    node->next_regex = p->regexes;
    p->regexes = node;
}
