/* SPDX-License-Identifier: Apache-2.0 */
/* Turns the YAML tree into a policy. Each mapping is read by a table of its keys; an error is recorded and
 * reading goes on, so that one `check` finds all of them. */
#include "policy/sections.h"

#include "base/digest.h"
#include "policy/expr.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct olv_policy_memory {
    struct olv_arena arena;
};

static void read_version(struct reader *r, struct fy_node *node, void *target)
{
    size_t len = 0;
    const char *text = policy_scalar(node, &len);
    (void)target;
    if (!text || len != 1 || text[0] != '1')
        policy_complain(r, node_position(node), "1", NULL,
                        "this version of Olvido reads format 1 of the policy only");
}

static const struct key policy_keys[] = {
    {.name = "olvido", .read = read_version, .is_required = true},
    {.name = "title", .type = KEY_TEXT, .at = offsetof(struct olv_policy, title)},
    {.name = "author", .type = KEY_TEXT, .at = offsetof(struct olv_policy, author)},
    {.name = "note", .type = KEY_TEXT, .at = offsetof(struct olv_policy, note)},
    {.name = "rules", .read = read_rules, .is_required = true},
    {.name = "time-zone", .type = KEY_READ_BEFORE},
    {.name = "depots", .type = KEY_READ_BEFORE},
    {.name = "limits", .read = read_limits},
    {.name = "trash", .read = read_trash},
};

/* Reads what rules refer to first, wherever it is in the file: their dates depend on the time zone. */
static void read_first(struct reader *r, struct fy_node *root, const char *name,
                       void (*read)(struct reader *r, struct fy_node *node, void *target))
{
    struct fy_node *node =
        fy_node_is_mapping(root) ? fy_node_mapping_lookup_by_string(root, name, FY_NT) : NULL;
    if (node)
        read(r, node, r->policy);
}

static void read_policy(struct reader *r)
{
    struct fy_node *root = fy_document_root(r->doc.tree);
    if (!root) {
        policy_complain(r, (struct position){0, 0}, "olvido: 1, and rules", NULL, "the policy is empty");
        return;
    }
    read_first(r, root, "time-zone", read_zone);
    read_first(r, root, "depots", read_depots);
    policy_mapping(r, root, "the policy", policy_keys, sizeof policy_keys / sizeof *policy_keys, r->policy);
    if (r->list->errors == 0)
        advise(r);
}

static struct olv_policy *new_policy(const char *path)
{
    struct olv_policy_memory *memory = calloc(1, sizeof *memory);
    struct olv_policy *policy = memory ? olv_arena_alloc(&memory->arena, sizeof *policy) : NULL;
    if (!policy) {
        free(memory);
        return NULL;
    }
    policy->memory = memory;
    policy->path = olv_arena_copy(&memory->arena, path, strlen(path));
    return policy;
}

static void digest(struct olv_policy *policy, const struct policy_text *source)
{
    struct olv_hasher *hasher = olv_hasher_new();
    if (hasher)
        olv_sha256(hasher, source->text, source->len, policy->digest);
    olv_hasher_free(hasher);
}

/* Links in a depot's path are the author's intention, like those before the wildcards of an `under`: they are
 * resolved once, so that archiving, recovering and the catalogue all mean the same place. A missing depot
 * keeps its path as written. */
static void resolve_depots(struct olv_policy *policy)
{
    for (size_t i = 0; i < policy->depot_count; i++) {
        char *real = realpath(policy->depots[i].path, NULL), *copy = NULL;
        policy->depots[i].written = policy->depots[i].path;
        if (real)
            copy = olv_arena_copy(&policy->memory->arena, real, strlen(real));
        if (copy)
            policy->depots[i].path = copy;
        free(real);
    }
}

struct olv_policy *olv_policy_load(const char *path, struct olv_diagnostics *diagnostics,
                                   struct olv_error *err)
{
    struct olv_policy *policy;
    int fd = document_open(path, err);
    if (fd < 0)
        return NULL;
    policy = olv_policy_load_from(fd, path, diagnostics, err);
    close(fd);
    return policy;
}

struct olv_policy *olv_policy_load_from(int fd, const char *path, struct olv_diagnostics *diagnostics,
                                        struct olv_error *err)
{
    struct reader r = {.list = diagnostics, .policy = new_policy(path)};
    bool ok;
    if (!r.policy) {
        olv_fail_memory(err);
        return NULL;
    }
    r.arena = &r.policy->memory->arena;
    ok = document_read(&r.doc, fd, path, diagnostics, err);
    if (ok) {
        read_policy(&r);
        digest(r.policy, &r.doc.source);
        ok = diagnostics->errors == 0 && !r.out_of_memory;
        if (r.out_of_memory)
            olv_fail_memory(err);
        else if (!ok)
            olv_error_at(err, (olv_fail(err, OLV_POLICY, "the policy has errors"), path));
    }
    diagnostics_sort(diagnostics);
    document_close(&r.doc);
    if (ok) {
        resolve_depots(r.policy);
        return r.policy;
    }
    olv_policy_free(r.policy);
    return NULL;
}

void olv_policy_free(struct olv_policy *policy)
{
    struct olv_policy_memory *memory = policy ? policy->memory : NULL;
    if (!memory)
        return;
    for (size_t i = 0; i < policy->rule_count; i++)
        if (policy->rules[i].where_expr)
            expr_release(policy->rules[i].where_expr);
    olv_zone_free(policy->zone);
    olv_arena_free(&memory->arena); /* the policy itself is in there */
    free(memory);
}

const struct olv_depot *olv_depot_named(const struct olv_policy *policy, const char *name)
{
    for (size_t i = 0; i < policy->depot_count; i++)
        if (policy->depots[i].name && strcmp(policy->depots[i].name, name) == 0)
            return &policy->depots[i];
    return NULL;
}
