/* SPDX-License-Identifier: Apache-2.0 */
/* The file is read whole, up to a limit, and must be text before the YAML parser sees it. */
#include "policy/document.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>
#include <unistr.h>

enum { LARGEST_POLICY = 4 * 1024 * 1024 };

int document_open(const char *path, struct olv_error *err)
{
    int fd = open(path, O_RDONLY | O_NONBLOCK | O_NOCTTY | O_CLOEXEC);
    if (fd < 0)
        olv_fail_system(err, path, "cannot open the policy");
    return fd;
}

static bool document_examine(int fd, const char *path, size_t *size, struct olv_error *err)
{
    struct stat st;
    if (fstat(fd, &st) != 0)
        return olv_fail_system(err, path, "cannot look at the policy");
    *size = (size_t)st.st_size;
    if (S_ISREG(st.st_mode) && st.st_size <= LARGEST_POLICY)
        return true;
    olv_fail(err, OLV_POLICY, "%s",
             S_ISREG(st.st_mode) ? "the policy is larger than 4 MiB" : "the policy is not a regular file");
    olv_error_at(err, path);
    if (S_ISREG(st.st_mode))
        olv_error_hint(err, "a policy is a page or two of rules; is this the right file?");
    return false;
}

static bool document_read_all(int fd, const char *path, struct policy_text *source, struct olv_error *err)
{
    size_t size = 0, len = 0;
    ssize_t got = 0;
    char *text;
    if (!document_examine(fd, path, &size, err))
        return false;
    text = malloc(size + 1);
    while (text && len < size && (got = read(fd, text + len, size - len)) > 0)
        len += (size_t)got;
    if (!text)
        olv_fail_memory(err);
    else if (got < 0)
        olv_fail_system(err, path, "cannot read the policy");
    if (!text || got < 0) {
        free(text);
        return false;
    }
    text[len] = '\0';
    *source = (struct policy_text){text, len};
    return true;
}

/* Text is UTF-8 without NULs; the complaint points at the first bad byte. */
static bool is_text(const struct policy_text *source, struct olv_diagnostics *list)
{
    const uint8_t *bytes = (const uint8_t *)source->text, *bad = u8_check(bytes, source->len);
    const uint8_t *nul = memchr(bytes, 0, source->len);
    const char *message = "not UTF-8 text; is this a policy at all?";
    if (nul && (!bad || nul < bad)) {
        bad = nul;
        message = "a zero byte; is this a policy at all?";
    }
    if (!bad)
        return true;
    struct policy_text before = {source->text,
                                 (size_t)(bad - bytes)}; /* an excerpt of the readable part only */
    diagnose(list, &before, (struct position){before.len, 0},
             (struct complaint){message, "a YAML file, see `olvido help check`", NULL, false});
    return false;
}

static size_t offset_of(const struct policy_text *source, int line, int column)
{
    const char *p = source->text, *end = p + source->len;
    for (; line > 1 && p < end; p++)
        line -= *p == '\n';
    for (; column > 1 && p < end && *p != '\n'; column--)
        for (p++; p < end && ((unsigned char)*p & 0xC0) == 0x80; p++)
            ;
    return (size_t)(p - source->text);
}

static void report_syntax(struct fy_diag *diag, const struct policy_text *source,
                          struct olv_diagnostics *list)
{
    void *iterator = NULL;
    const struct fy_diag_error *e;
    while ((e = fy_diag_errors_iterate(diag, &iterator)))
        diagnose(list, source, (struct position){offset_of(source, e->line, e->column), 1},
                 (struct complaint){e->msg, "YAML 1.2", NULL, false});
    if (list->count == 0) /* no tree, and no error reported */
        diagnose(list, source, (struct position){0, 0},
                 (struct complaint){"the policy is empty", "olvido: 1, and rules", NULL, false});
}

static struct fy_document *document_parse(const struct policy_text *source, struct olv_diagnostics *list)
{
    struct fy_diag_cfg quiet = {.level = FYET_ERROR};
    struct fy_diag *diag = fy_diag_create(&quiet);
    struct fy_parse_cfg cfg = {.flags = FYPCF_QUIET | FYPCF_COLLECT_DIAG | FYPCF_DISABLE_RECYCLING,
                               .diag = diag};
    struct fy_document *tree;
    if (!diag)
        return NULL;
    fy_diag_set_collect_errors(diag, true);
    tree = fy_document_build_from_string(&cfg, source->text, source->len);
    if (!tree)
        report_syntax(diag, source, list);
    fy_diag_destroy(diag);
    return tree;
}

bool document_read(struct document *doc, int fd, const char *path, struct olv_diagnostics *list,
                   struct olv_error *err)
{
    if (!document_read_all(fd, path, &doc->source, err))
        return false;
    if (is_text(&doc->source, list))
        doc->tree = document_parse(&doc->source, list);
    if (doc->tree)
        return true;
    olv_fail(err, OLV_POLICY, "the policy has errors");
    return olv_error_at(err, path);
}

void document_close(struct document *doc)
{
    fy_document_destroy(doc->tree);
    free((char *)(uintptr_t)doc->source.text);
    *doc = (struct document){0};
}

static struct fy_node *first_scalar(struct fy_node *node)
{
    void *iterator = NULL;
    for (int depth = 0; node && !fy_node_is_scalar(node) && depth < 100; depth++, iterator = NULL) {
        struct fy_node_pair *pair;
        if (fy_node_is_sequence(node)) {
            node = fy_node_sequence_iterate(node, &iterator);
        } else {
            pair = fy_node_mapping_iterate(node, &iterator);
            node = pair ? fy_node_pair_key(pair) : NULL;
        }
    }
    return node;
}

static struct position token_position(struct fy_node *scalar)
{
    struct fy_token *token = scalar ? fy_node_get_scalar_token(scalar) : NULL;
    const struct fy_mark *start = token ? fy_token_start_mark(token) : NULL;
    const struct fy_mark *end = token ? fy_token_end_mark(token) : NULL;
    if (!start || !end)
        return (struct position){0, 1};
    return (struct position){start->input_pos,
                             end->input_pos > start->input_pos ? end->input_pos - start->input_pos : 1};
}

struct position node_position(struct fy_node *node)
{
    return token_position(first_scalar(node));
}

struct position value_position(const struct document *doc, struct fy_node *scalar, size_t offset, size_t len)
{
    struct position position = node_position(scalar);
    size_t value_len, at = position.offset, end = position.offset + position.len;
    const char *value = fy_node_get_scalar(scalar, &value_len), *text = doc->source.text;
    for (size_t i = 0; i < offset && at < end; at++)
        i += text[at] == value[i] || (value[i] == ' ' && text[at] == '\n');
    while (at < end && offset < value_len && text[at] != value[offset])
        at++; /* skip folds, quotes and escapes */
    return (struct position){at < end ? at : end, len};
}
