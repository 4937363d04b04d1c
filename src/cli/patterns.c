/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/patterns.h"

#include "olvido/path.h"

#include <stdlib.h>
#include <string.h>

/* Appends the components of `rest` to a path without a slash at its end. */
static void go_down(struct olv_text *path, char *rest)
{
    char *part;
    while ((part = strtok_r(rest, "/", &rest))) {
        if (strcmp(part, ".") == 0)
            continue;
        if (strcmp(part, "..") == 0) {
            while (path->len && path->data[--path->len] != '/')
                ;
            if (path->data)
                path->data[path->len] = '\0';
            continue;
        }
        olv_text_puts(path, "/");
        olv_text_puts(path, part);
    }
    if (path->len == 0)
        olv_text_puts(path, "/");
}

char *patterns_absolute(struct cli *cli, const char *word, bool is_pattern)
{
    struct olv_text path = {0};
    struct olv_error err = {0};
    char *copy, *here = word[0] == '/' ? strdup("") : olv_path_here();
    if (!here) {
        olv_fail_system(&err, word, "cannot find out in which directory this is");
        cli_report(cli, &err);
        return NULL;
    }
    if (strcmp(here, "/") == 0)
        here[0] = '\0';
    if (is_pattern)
        olv_pattern_quote(&path, here, strlen(here));
    else
        olv_text_puts(&path, here);
    copy = strdup(word);
    if (copy)
        go_down(&path, copy);
    free(copy);
    free(here);
    if (copy && !path.failed)
        return path.data;
    olv_text_free(&path);
    cli_memory(cli);
    return NULL;
}

/* What the word means, spelt out: the caller frees it; NULL after reporting. */
static char *spelt_out(struct cli *cli, enum patterns_of of, const char *word)
{
    struct olv_text out = {0};
    bool has_slash = strchr(word, '/');
    if (of == PATTERNS_HERE || (of == PATTERNS_ANYWHERE && has_slash))
        return patterns_absolute(cli, word, true);
    if (of == PATTERNS_AS_TYPED)
        return strdup(word);
    olv_text_puts(&out, of == PATTERNS_ANYWHERE ? "/**/" : has_slash ? "" : "**/");
    olv_text_puts(&out, word + strspn(word, "/"));
    while (out.len && of == PATTERNS_INSIDE && out.data[out.len - 1] == '/')
        out.data[--out.len] = '\0';
    if (out.len && !out.failed)
        return out.data;
    olv_text_free(&out);
    return out.failed ? (cli_memory(cli), NULL) : strdup("**");
}

static bool add(struct cli *cli, const char *text, struct patterns *out)
{
    struct olv_error err = {0};
    struct olv_pattern *pattern = olv_pattern_new(text, strlen(text), &err);
    if (pattern)
        out->items[out->count++] = pattern;
    return pattern || (err.code == OLV_USAGE ? cli_usage(cli, "%s", err.what) : cli_report(cli, &err));
}

bool patterns_read(struct cli *cli, enum patterns_of of, const char *const *words, size_t count,
                   struct patterns *out)
{
    bool ok;
    *out = (struct patterns){.items = calloc(count + 1, sizeof *out->items)};
    ok = out->items || cli_memory(cli);
    for (size_t i = 0; ok && i < count; i++) {
        char *text = spelt_out(cli, of, words[i]);
        ok = text && add(cli, text, out);
        free(text);
    }
    return ok;
}

bool patterns_of_path(struct cli *cli, const char *path, struct patterns *out)
{
    struct olv_text quoted = {0};
    bool ok;
    *out = (struct patterns){.items = calloc(1, sizeof *out->items)};
    olv_pattern_quote(&quoted, path, strlen(path));
    ok = (out->items && !quoted.failed) || cli_memory(cli);
    ok = ok && add(cli, olv_text_string(&quoted), out);
    olv_text_free(&quoted);
    return ok;
}

void patterns_free(struct patterns *patterns)
{
    for (size_t i = 0; i < patterns->count; i++)
        olv_pattern_free(patterns->items[i]);
    free(patterns->items);
    *patterns = (struct patterns){0};
}
