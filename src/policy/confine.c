/* SPDX-License-Identifier: Apache-2.0 */
#include "policy/confine.h"

#include "policy/document.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* NULL without memory. */
static struct fy_node *moved(struct fy_document *tree, struct fy_node *scalar, const char *prefix)
{
    struct olv_text path = {0};
    struct fy_node *node = NULL;
    size_t len = 0;
    const char *text = fy_node_get_scalar(scalar, &len);
    olv_text_puts(&path, prefix);
    olv_text_add(&path, text ? text : "", text ? len : 0);
    if (!path.failed)
        node = fy_node_create_scalar_copy(tree, path.data, path.len);
    olv_text_free(&path);
    return node;
}

static bool move_rule(struct fy_document *tree, struct fy_node *rule, const char *prefix)
{
    struct fy_node_pair *pair = fy_node_mapping_lookup_pair_by_string(rule, "under", FY_NT);
    struct fy_node *old = pair ? fy_node_pair_value(pair) : NULL, *list = fy_node_create_sequence(tree),
                   *item;
    void *iterator = NULL;
    bool ok = pair && list;
    if (ok && fy_node_is_scalar(old))
        ok = (item = moved(tree, old, prefix)) && fy_node_sequence_append(list, item) == 0;
    else
        while (ok && (old = fy_node_sequence_iterate(fy_node_pair_value(pair), &iterator)))
            ok = (item = moved(tree, old, prefix)) && fy_node_sequence_append(list, item) == 0;
    return ok && fy_node_pair_set_value(pair, list) == 0;
}

static bool move_rules(struct fy_document *tree, const char *prefix)
{
    struct fy_node *root = fy_document_root(tree), *rules, *rule;
    struct fy_node_pair *trash = fy_node_mapping_lookup_pair_by_string(root, "trash", FY_NT);
    void *iterator = NULL;
    if (trash && fy_node_free(fy_node_mapping_remove_by_key(root, fy_node_pair_key(trash))) != 0)
        return false;
    rules = fy_node_mapping_lookup_by_string(root, "rules", FY_NT);
    while ((rule = fy_node_sequence_iterate(rules, &iterator)))
        if (!move_rule(tree, rule, prefix))
            return false;
    return true;
}

bool policy_confine(const char *file, const char *prefix, struct olv_text *out, struct olv_error *err)
{
    struct olv_diagnostics list = {0};
    struct document doc = {0};
    char *text = NULL;
    int fd = document_open(file, err);
    bool ok = fd >= 0 && document_read(&doc, fd, file, &list, err);
    if (fd >= 0)
        close(fd);
    if (ok && !(move_rules(doc.tree, prefix) && (text = fy_emit_document_to_string(doc.tree, FYECF_DEFAULT))))
        ok = olv_fail_memory(err);
    olv_text_puts(out, text ? text : "");
    free(text);
    document_close(&doc);
    olv_diagnostics_free(&list);
    return ok && (!out->failed || olv_fail_memory(err));
}
