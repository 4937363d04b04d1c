/* SPDX-License-Identifier: Apache-2.0 */
#include "keys/types.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static void *member_of(const struct olv_key *key, void *values)
{
    return (char *)values + key->at;
}

static const void *member_in(const struct olv_key *key, const void *values)
{
    return (const char *)values + key->at;
}

static bool is_string(const struct olv_key *key)
{
    return key->type >= OLV_KEY_TEXT;
}

const struct olv_key *olv_key_of(const struct olv_act *act, const char *name)
{
    for (const struct olv_key *key = act->keys; key && key->name; key++)
        if (strcmp(key->name, name) == 0)
            return key;
    return NULL;
}

/* ---- setting them ---- */

void *keys_begin(const struct olv_act *act, struct olv_arena *arena)
{
    struct key_fault none = {0};
    char *values = olv_arena_alloc(arena, act->arguments + 1);
    for (const struct olv_key *key = act->keys; key && key->name; key++) {
        if (!values)
            return NULL;
        if (is_string(key))
            *(const char **)member_of(key, values) = "";
        if (key->usual && !key_read(key, key->usual, strlen(key->usual), values, arena, &none))
            return NULL;
    }
    return values;
}

const void *keys_copy(const struct olv_act *act, const void *values, struct olv_arena *arena)
{
    void *copy = olv_arena_alloc(arena, act->arguments + 1);
    bool ok = copy;
    if (copy && act->arguments)
        memcpy(copy, values, act->arguments);
    for (const struct olv_key *key = act->keys; key && key->name; key++)
        if (ok && is_string(key)) {
            const char **string = member_of(key, copy);
            *string = olv_arena_copy(arena, *string, strlen(*string));
            ok = *string;
        }
    return ok ? copy : NULL;
}

bool key_read(const struct olv_key *key, const char *text, size_t len, void *values, struct olv_arena *arena,
              struct key_fault *fault)
{
    *fault = (struct key_fault){.key = key->name};
    return key_types[key->type].read(key, text, len, member_of(key, values), arena, fault);
}

bool keys_complete(void *values, const struct completing *c)
{
    return !c->act->complete || c->act->complete(values, c);
}

bool key_is_given(const struct completing *c, const char *name)
{
    const struct olv_key *key = olv_key_of(c->act, name);
    return key && c->given >> (key - c->act->keys) & 1;
}

bool key_fails(const struct completing *c, const char *name, const char *against, const char *expected,
               const char *format, ...)
{
    va_list args;
    c->fault->key = name;
    c->fault->against = against && key_is_given(c, against) ? against : NULL;
    snprintf(c->fault->expected, sizeof c->fault->expected, "%s", expected);
    va_start(args, format);
    vsnprintf(c->fault->what, sizeof c->fault->what, format, args);
    va_end(args);
    return false;
}

/* ---- for people ---- */

void key_spell(const struct olv_key *key, const void *values, struct olv_text *out)
{
    key_types[key->type].spell(key, member_in(key, values), out);
}

void key_schema(const struct olv_key *key, struct olv_text *out)
{
    key_types[key->type].schema(key, out);
    olv_text_printf(out, ", \"description\": \"%s\"", key->about);
}

void olv_arguments_describe(const struct olv_act *act, const void *values, struct olv_text *out)
{
    for (const struct olv_key *key = act->keys; key && key->name; key++)
        if (key->said_as) {
            olv_text_puts(out, key->said_as);
            key_spell(key, values, out);
        }
}

/* ---- in a docket ---- */

const char *keys_long_path(const struct olv_act *act, const void *values, size_t most)
{
    for (const struct olv_key *key = act->keys; key && key->name; key++)
        if (key->type == OLV_KEY_PATH) {
            const char *path = *(const char *const *)member_in(key, values);
            if (strlen(path) > most)
                return path;
        }
    return NULL;
}

void keys_put(const struct olv_act *act, const void *values, struct olv_text *out)
{
    for (const struct olv_key *key = act->keys; key && key->name; key++)
        key_types[key->type].put(member_in(key, values), out);
}

bool keys_digest(const struct olv_act *act, const void *values, uint8_t out[OLV_SHA256_SIZE])
{
    struct olv_text bytes = {0};
    bool ok;
    for (const struct olv_key *key = act->keys; key && key->name; key++)
        if (key->by != OLV_BY_NOBODY)
            key_types[key->type].put(member_in(key, values), &bytes);
    ok = !bytes.failed;
    if (ok)
        olv_sha256_once(olv_text_string(&bytes), bytes.len, out);
    olv_text_free(&bytes);
    return ok;
}

const void *keys_get(const struct olv_act *act, struct wire *wire)
{
    void *values = olv_arena_alloc(wire->arena, act->arguments + 1);
    wire->is_broken |= !values;
    for (const struct olv_key *key = act->keys; key && key->name; key++)
        if (values)
            key_types[key->type].get(key, wire, member_of(key, values));
    return values;
}

/* ---- one by one ---- */

bool olv_arguments_begin(struct olv_arguments *a, const struct olv_act *act, struct olv_error *err)
{
    *a = (struct olv_arguments){.act = act, .memory = calloc(1, sizeof *a->memory)};
    a->values = a->memory ? keys_begin(act, a->memory) : NULL;
    return a->values || olv_fail_memory(err);
}

static bool fails(const struct key_fault *fault, struct olv_error *err)
{
    struct olv_text what = {0};
    olv_text_printf(&what, "--%s%s%s%s %s", fault->key, fault->against ? " and --" : "",
                    fault->against ? fault->against : "", fault->is_value ? "" : ":", fault->what);
    if (*fault->expected)
        olv_text_printf(&what, "; use %s", fault->expected);
    if (fault->nearest)
        olv_text_printf(&what, "; did you mean `%s`?", fault->nearest);
    olv_fail(err, OLV_USAGE, "%s", olv_text_string(&what));
    olv_text_free(&what);
    return false;
}

bool olv_arguments_set(struct olv_arguments *a, const char *name, const char *text, struct olv_error *err)
{
    const struct olv_key *key = olv_key_of(a->act, name);
    struct key_fault fault = {0};
    if (!key)
        return olv_fail(err, OLV_USAGE, "`%s` says nothing about the act `%s`", name, a->act->word);
    a->given |= UINT64_C(1) << (key - a->act->keys);
    return key_read(key, text, strlen(text), a->values, a->memory, &fault) || fails(&fault, err);
}

bool olv_arguments_complete(struct olv_arguments *a, const struct olv_depot *depot, struct olv_error *err)
{
    struct key_fault fault = {0};
    struct completing c = {.act = a->act, .given = a->given, .depot = depot, .fault = &fault};
    return keys_complete(a->values, &c) || fails(&fault, err);
}

void olv_arguments_free(struct olv_arguments *a)
{
    if (a->memory)
        olv_arena_free(a->memory);
    free(a->memory);
    *a = (struct olv_arguments){0};
}

uint64_t olv_argument_number(const struct olv_act *act, const void *values, const char *name)
{
    const struct olv_key *key = olv_key_of(act, name);
    if (!key)
        return 0;
    switch (key->type) {
    case OLV_KEY_WORD:
    case OLV_KEY_NUMBER:
        return (uint64_t) * (const int *)member_in(key, values);
    case OLV_KEY_TRUTH:
        return *(const bool *)member_in(key, values);
    case OLV_KEY_SIZE:
        return *(const uint64_t *)member_in(key, values);
    default:
        return 0;
    }
}
