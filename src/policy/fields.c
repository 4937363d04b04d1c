/* SPDX-License-Identifier: Apache-2.0 */
/* The fields and words of `where`. To add one: its line here, and its case in test.c. */
#include "policy/expr.h"

#include <string.h>

static const struct field fields[] = {
    {"name", FIELD_NAME, TYPE_TEXT},         {"stem", FIELD_STEM, TYPE_TEXT},
    {"suffix", FIELD_SUFFIX, TYPE_TEXT},     {"path", FIELD_PATH, TYPE_TEXT},
    {"size", FIELD_SIZE, TYPE_SIZE},         {"age", FIELD_AGE, TYPE_DURATION},
    {"modified", FIELD_MODIFIED, TYPE_DATE}, {"accessed", FIELD_ACCESSED, TYPE_DATE},
    {"changed", FIELD_CHANGED, TYPE_DATE},   {"born", FIELD_BORN, TYPE_DATE},
    {"owner", FIELD_OWNER, TYPE_USER},       {"group", FIELD_GROUP, TYPE_GROUP},
    {"mode", FIELD_MODE, TYPE_OCTAL},        {"kind", FIELD_KIND, TYPE_KIND},
    {"links", FIELD_LINKS, TYPE_COUNT},      {"depth", FIELD_DEPTH, TYPE_COUNT},
};

static const char *const words[] = {"empty", "open", "readonly", "protected", "held", "world-writable"};

static const char *const all_names[] = {
    "name",     "stem",      "suffix", "path",           "size", "age",   "modified", "accessed", "changed",
    "born",     "owner",     "group",  "mode",           "kind", "links", "depth",    "empty",    "open",
    "readonly", "protected", "held",   "world-writable", "not",
};

const struct field *field_find(const char *name, size_t len)
{
    for (size_t i = 0; i < sizeof fields / sizeof *fields; i++)
        if (strlen(fields[i].name) == len && memcmp(fields[i].name, name, len) == 0)
            return &fields[i];
    return NULL;
}

const char *const *field_names(size_t *count)
{
    *count = sizeof all_names / sizeof *all_names;
    return all_names;
}

bool word_find(const char *name, size_t len, enum word_id *out)
{
    for (size_t i = 0; i < sizeof words / sizeof *words; i++)
        if (strlen(words[i]) == len && memcmp(words[i], name, len) == 0) {
            *out = (enum word_id)i;
            return true;
        }
    return false;
}
