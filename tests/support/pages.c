/* SPDX-License-Identifier: Apache-2.0 */
#include "support/pages.h"

#include "keys/keys.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const struct olv_key *next_key(const struct olv_key *key)
{
    while (key && key->name && !(key->by & OLV_BY_STEP))
        key++;
    return key && key->name ? key : NULL;
}

static bool is_step(const struct olv_act *act)
{
    return !(act->traits & OLV_BY_HAND_ONLY);
}

/* Each name once, however many acts have it. */
static bool is_first(const struct olv_act *const *of, const char *name)
{
    for (const struct olv_act *const *act = olv_acts; *act; act++) {
        const struct olv_key *key = olv_key_of(*act, name);
        if (act == of)
            return true;
        if (is_step(*act) && key && key->by & OLV_BY_STEP)
            return false;
    }
    return true;
}

/* ---- the schema ---- */

static void put_acts(struct olv_text *out)
{
    const char *before = "";
    for (const struct olv_act *const *act = olv_acts; *act; act++)
        if (is_step(*act)) {
            olv_text_printf(out, "%s\"%s\"", before, (*act)->word);
            before = ", ";
        }
}

static void put_names(struct olv_text *out)
{
    for (const struct olv_act *const *act = olv_acts; *act; act++)
        for (const struct olv_key *key = next_key((*act)->keys); key; key = next_key(key + 1))
            if (is_step(*act) && is_first(act, key->name))
                olv_text_printf(out, ",\n        \"%s\": true", key->name);
}

static void put_required(struct olv_text *out, const struct olv_act *act)
{
    const char *before = "\"required\": [", *after = "";
    for (const struct olv_key *key = next_key(act->keys); key; key = next_key(key + 1))
        if (key->is_required) {
            olv_text_printf(out, "%s\"%s\"", before, key->name);
            before = ", ";
            after = "], ";
        }
    olv_text_puts(out, after);
}

static void put_own(struct olv_text *out, const struct olv_act *act)
{
    for (const struct olv_key *key = next_key(act->keys); key; key = next_key(key + 1)) {
        olv_text_printf(out, "            \"%s\": { ", key->name);
        key_schema(key, out);
        olv_text_puts(out, " },\n");
    }
}

/* Keys that say nothing about it. */
static void put_foreign(struct olv_text *out, const struct olv_act *act)
{
    const char *before = "            ";
    for (const struct olv_act *const *other = olv_acts; *other; other++)
        for (const struct olv_key *key = next_key((*other)->keys); key; key = next_key(key + 1)) {
            const struct olv_key *own = olv_key_of(act, key->name);
            if (!is_step(*other) || !is_first(other, key->name) || (own && own->by & OLV_BY_STEP))
                continue;
            olv_text_printf(out, "%s\"%s\": false", before, key->name);
            before = ", ";
        }
}

static void put_then(struct olv_text *out, const struct olv_act *act)
{
    put_required(out, act);
    olv_text_puts(out, "\"properties\": {\n");
    put_own(out, act);
    put_foreign(out, act);
    olv_text_puts(out, "\n          } }");
}

static void put_schema(struct olv_text *out)
{
    const char *before = "";
    olv_text_puts(out,
                  "      \"type\": \"object\", \"required\": [\"after\", \"do\"], \"additionalProperties\": "
                  "false,\n      \"properties\": {\n"
                  "        \"after\": { \"$ref\": \"#/$defs/duration\" },\n        \"do\": { \"enum\": [");
    put_acts(out);
    olv_text_puts(out, "] },\n        \"unattended\": { \"$ref\": \"#/$defs/truth\", \"default\": false }");
    put_names(out);
    olv_text_puts(out, "\n      },\n      \"allOf\": [\n");
    for (const struct olv_act *const *act = olv_acts; *act; act++)
        if (is_step(*act)) {
            olv_text_printf(out,
                            "%s        { \"if\": { \"required\": [\"do\"], \"properties\": { \"do\": { "
                            "\"const\": \"%s\" } } },\n          \"then\": { ",
                            before, (*act)->word);
            put_then(out, *act);
            olv_text_puts(out, " }");
            before = ",\n";
        }
    olv_text_puts(out, "\n      ]\n");
}

/* ---- the page of the policy ---- */

static void put_values(struct olv_text *out, const struct olv_key *key)
{
    static const char *const kinds[OLV_KEY_TYPES] = {[OLV_KEY_TRUTH] = "`yes` or `no`",
                                                     [OLV_KEY_DURATION] = "a duration",
                                                     [OLV_KEY_SIZE] = "a size",
                                                     [OLV_KEY_TEXT] = "text",
                                                     [OLV_KEY_DEPOT] = "a name from `depots`",
                                                     [OLV_KEY_PATH] = "an absolute path"};
    for (const struct olv_word *w = key->words; w && w->word; w++)
        olv_text_printf(out, "%s`%s`", w == key->words ? "" : ", ", w->word);
    if (key->type == OLV_KEY_NUMBER)
        olv_text_printf(out, "%d to %d", key->least, key->most);
    else if (kinds[key->type])
        olv_text_puts(out, kinds[key->type]);
}

static void put_keys(struct olv_text *out)
{
    olv_text_puts(out, "| act | key | value | what it says |\n|---|---|---|---|\n");
    for (const struct olv_act *const *act = olv_acts; *act; act++)
        for (const struct olv_key *key = next_key((*act)->keys); key; key = next_key(key + 1)) {
            if (!is_step(*act))
                continue;
            olv_text_printf(out, "| `%s` | `%s` | ", (*act)->word, key->name);
            put_values(out, key);
            olv_text_printf(out, " | %s%s", key->about, key->is_required ? " Required" : "");
            if (key->usual)
                olv_text_printf(out, " Usually `%s`", key->usual);
            olv_text_puts(out, " |\n");
        }
}

/* ---- files ---- */

const struct page pages[] = {
    {"docs/policy.schema.json", "    \"step\": {\n", "    }\n  }\n}\n", put_schema},
    {"docs/policy.md", "<!-- keys of acts -->\n", "<!-- made by tools/pages -->\n", put_keys},
    {0}};

char *page_read(const char *root, const struct page *page)
{
    enum { MOST = 1 << 20 };
    char path[4096], *text = calloc(1, MOST);
    FILE *file;
    snprintf(path, sizeof path, "%s/%s", root, page->path);
    file = fopen(path, "r");
    if (!file || !text || fread(text, 1, MOST - 1, file) == 0) {
        free(text);
        text = NULL;
    }
    if (file)
        fclose(file);
    return text;
}

char *page_make(const struct page *page, const char *is)
{
    const char *begin = strstr(is, page->begins), *end = begin ? strstr(begin, page->ends) : NULL;
    struct olv_text out = {0};
    if (!end)
        return NULL;
    olv_text_add(&out, is, (size_t)(begin - is) + strlen(page->begins));
    page->put(&out);
    olv_text_puts(&out, end);
    return out.data;
}
