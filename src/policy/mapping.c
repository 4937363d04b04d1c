/* SPDX-License-Identifier: Apache-2.0 */
/* An error is recorded and reading goes on, so that one `check` finds all of them. */
#include "policy/mapping.h"

#include "olvido/nearest.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

void policy_complain(struct reader *r, struct position position, const char *expected, const char *nearest,
                     const char *format, ...)
{
    char message[512];
    va_list args;
    va_start(args, format);
    vsnprintf(message, sizeof message, format, args);
    va_end(args);
    diagnose(r->list, &r->doc.source, position, (struct complaint){message, expected, nearest, false});
}

/* Underlines the whole line. */
static struct position line_position(const struct policy_text *source, int line)
{
    size_t at = 0, end;
    while (line > 1 && at < source->len)
        line -= source->text[at++] == '\n';
    while (at < source->len && strchr(" -", source->text[at]))
        at++;
    for (end = at; end < source->len && !strchr("\r\n#", source->text[end]); end++)
        ;
    while (end > at && source->text[end - 1] == ' ')
        end--;
    return (struct position){at, end > at ? end - at : 1};
}

void policy_warn(struct reader *r, int line, const char *format, ...)
{
    char message[512];
    va_list args;
    va_start(args, format);
    vsnprintf(message, sizeof message, format, args);
    va_end(args);
    diagnose(r->list, &r->doc.source, line_position(&r->doc.source, line),
             (struct complaint){message, NULL, NULL, true});
}

int policy_line(const struct reader *r, struct position position)
{
    const struct policy_text *source = &r->doc.source;
    int line = 1;
    for (size_t i = 0; i < position.offset && i < source->len; i++)
        line += source->text[i] == '\n';
    return line;
}

const char *policy_scalar(struct fy_node *node, size_t *len)
{
    return node && fy_node_is_scalar(node) && !fy_node_is_alias(node) ? fy_node_get_scalar(node, len) : NULL;
}

void policy_complain_of(struct reader *r, struct fy_node *at, struct fy_node *against,
                        const struct key_fault *fault)
{
    const char *expected = *fault->expected ? fault->expected : NULL;
    if (against)
        policy_complain(r, node_position(at), expected, fault->nearest, "%s: `%s` is in line %d", fault->what,
                        fault->against, policy_line(r, node_position(against)));
    else if (fault->is_value)
        policy_complain(r, node_position(at), expected, fault->nearest, "`%s` %s", fault->key, fault->what);
    else
        policy_complain(r, node_position(at), expected, fault->nearest, "%s", fault->what);
}

const char *policy_string(struct reader *r, struct fy_node *node, const char *what)
{
    size_t len;
    const char *text = policy_scalar(node, &len), *copy;
    if (!text || len == 0) {
        policy_complain(r, node_position(node), "text", NULL, "%s must be text%s", what,
                        text ? ", and not empty" : "");
        return NULL;
    }
    copy = olv_arena_copy(r->arena, text, len);
    r->out_of_memory |= !copy;
    return copy;
}

enum { SHOWN = 60 }; /* of a wrong value */

static int shown(size_t len)
{
    return (int)(len > SHOWN ? SHOWN : len);
}

bool policy_duration(struct reader *r, struct fy_node *node, struct olv_duration *out)
{
    size_t len = 0, at;
    const char *text = policy_scalar(node, &len);
    if (text && olv_duration_parse(text, len, out, &at))
        return true;
    policy_complain(r, node_position(node), "a duration, such as 90 days, 1 year 6 months or P90D", NULL,
                    "`%.*s` is not a duration", shown(len), text ? text : "");
    return false;
}

bool policy_truth(struct reader *r, struct fy_node *node, bool *out)
{
    static const char *const words[] = {"no", "false", "yes", "true"};
    int word = policy_word(r, node, "answer", words, 4, "yes or no");
    *out = word >= 2;
    return word >= 0;
}

int policy_word(struct reader *r, struct fy_node *node, const char *what, const char *const *words,
                size_t count, const char *expected)
{
    size_t len = 0;
    const char *text = policy_scalar(node, &len);
    for (size_t i = 0; text && i < count; i++)
        if (strlen(words[i]) == len && memcmp(words[i], text, len) == 0)
            return (int)i;
    policy_complain(r, node_position(node), expected, text ? olv_nearest(text, len, words, count) : NULL,
                    "there is no %s `%.*s`", what, shown(len), text ? text : "");
    return -1;
}

static void name_keys(const struct key *keys, size_t count, char *out, size_t size)
{
    size_t at = 0;
    out[0] = '\0';
    for (size_t i = 0; i < count && at < size; i++)
        if (keys[i].read || keys[i].type != KEY_FOREIGN || !*keys[i].act)
            at += (size_t)snprintf(out + at, size - at, "%s%s", at ? ", " : "", keys[i].name);
}

static void unknown_key(struct reader *r, struct position position, const char *name, size_t len,
                        const struct key *keys, size_t count)
{
    const char *names[MOST_KEYS];
    char expected[256];
    for (size_t i = 0; i < count; i++)
        names[i] = keys[i].name;
    name_keys(keys, count, expected, sizeof expected);
    policy_complain(r, position, expected, olv_nearest(name, len, names, count),
                    "there is no key `%.*s` here", (int)(len > 100 ? 100 : len), name);
}

static void read_by_type(struct reader *r, const struct key *key, struct fy_node *value, void *member)
{
    char what[64];
    snprintf(what, sizeof what, "`%s`", key->name);
    if (key->type == KEY_TEXT)
        *(const char **)member = policy_string(r, value, what);
    else if (key->type == KEY_DURATION)
        policy_duration(r, value, member);
    else if (key->type == KEY_TRUTH)
        policy_truth(r, value, member);
    else if (key->type == KEY_FOREIGN && *key->act)
        policy_complain(r, node_position(value), NULL, NULL, "%s says nothing about the act `%s`", what,
                        key->act);
}

static void read_pair(struct reader *r, struct fy_node_pair *pair, const struct key *keys, size_t count,
                      void *target, bool *seen)
{
    struct fy_node *key = fy_node_pair_key(pair), *value = fy_node_pair_value(pair);
    size_t len = 0;
    const char *name = policy_scalar(key, &len);
    for (size_t i = 0; name && i < count; i++) {
        if (strlen(keys[i].name) != len || memcmp(keys[i].name, name, len) != 0)
            continue;
        seen[i] = true;
        if (keys[i].read)
            keys[i].read(r, value, target);
        else
            read_by_type(r, &keys[i], value, (char *)target + keys[i].at);
        return;
    }
    unknown_key(r, node_position(key), name ? name : "", len, keys, count);
}

void policy_mapping(struct reader *r, struct fy_node *node, const char *what, const struct key *keys,
                    size_t count, void *target)
{
    struct fy_node_pair *pair;
    void *iterator = NULL;
    bool seen[MOST_KEYS] = {false};
    if (!node || !fy_node_is_mapping(node)) {
        policy_complain(r, node_position(node), "key: value", NULL, "%s must be a mapping", what);
        return;
    }
    while ((pair = fy_node_mapping_iterate(node, &iterator)))
        read_pair(r, pair, keys, count, target, seen);
    for (size_t i = 0; i < count; i++)
        if (keys[i].is_required && !seen[i])
            policy_complain(r, node_position(node), keys[i].name, NULL, "%s has no `%s`", what, keys[i].name);
}

void *policy_items(struct reader *r, struct fy_node *list, const char *what, int most, size_t item_size)
{
    int count = list && fy_node_is_sequence(list) ? fy_node_sequence_item_count(list) : 0;
    void *items;
    if (count <= 0 || count > most) {
        if (count > most)
            policy_complain(r, node_position(list), NULL, NULL, "%s has %d entries; at most %d are allowed",
                            what, count, most);
        else
            policy_complain(r, node_position(list), "a list", NULL,
                            "%s must be a list with at least one entry", what);
        return NULL;
    }
    items = olv_arena_alloc(r->arena, (size_t)count * item_size);
    r->out_of_memory |= !items;
    return items;
}
