/* SPDX-License-Identifier: Apache-2.0 */
/* `under` paths may contain one another: the outermost of each mount is walked, and further in the rules of
 * the inner ones join those of the outer. A path on another mount than its surroundings is a root of its own,
 * because a walk stays on its mount. */
#include "judge/roots.h"

#include "base/grow.h"
#include "file/trusted.h"
#include "judge/expand.h"
#include "olvido/path.h"
#include "olvido/pattern.h"
#include "os/os.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

struct adding {
    struct roots *roots;
    uint32_t rule;
    const struct olv_observer *observer;
};

static struct rules_begin *new_place(struct roots *roots)
{
    if (!grow_in(&roots->arena, &roots->places, roots->count, &roots->cap, sizeof *roots->places))
        return NULL;
    return &roots->places[roots->count++];
}

static bool roots_add_place(void *self, const char *path)
{
    struct adding *a = self;
    struct rules_begin *place;
    struct olv_error why = {0};
    char *real = trusted_resolve(path, &why);
    struct olv_stat stat;
    int fd, sys;
    bool ok = true;
    if (!real && olv_os_is_exhausted(why.sys)) {
        errno = why.sys;
        return false;
    }
    if (!real) {
        olv_observe_unreadable(a->observer, path, why.sys ? "looking for it (`under` of a rule)" : why.what,
                               why.sys);
        return true;
    }
    fd = olv_os_open_path(real);
    if (fd < 0 || !olv_os_stat(fd, "", &stat)) {
        ok = !olv_os_is_exhausted(errno);
        olv_observe_unreadable(a->observer, path, "opening it (`under` of a rule)", errno);
    } else {
        place = new_place(a->roots);
        if (place)
            *place = (struct rules_begin){.path = olv_arena_copy(&a->roots->arena, real, strlen(real)),
                                          .mount = stat.mount,
                                          .rule = a->rule};
        ok = place && place->path;
    }
    sys = errno;
    olv_os_close(fd);
    free(real);
    errno = sys;
    return ok;
}

/* Like strcmp, but with the slash before every other byte, so that a directory's contents follow it directly.
 */
static int compare_paths(const char *a, const char *b)
{
    while (*a && *a == *b) {
        a++;
        b++;
    }
    if (*a == *b)
        return 0;
    if (!*a || !*b)
        return *a ? 1 : -1;
    if (*a == '/' || *b == '/')
        return *a == '/' ? -1 : 1;
    return (unsigned char)*a < (unsigned char)*b ? -1 : 1;
}

static int by_path(const void *a, const void *b)
{
    const struct rules_begin *x = a, *y = b;
    int order = compare_paths(x->path, y->path);
    return order ? order : (x->rule < y->rule ? -1 : x->rule > y->rule);
}

static uint32_t depth_below(const char *path, size_t skip)
{
    uint32_t depth = path[skip] ? 1 : 0;
    for (const char *p = path + skip; *p; p++)
        depth += *p == '/';
    return depth;
}

/* The same scope, for below a recently recovered directory. */
static const struct olv_scope *make_spared(struct roots *roots, const struct olv_scope *scope)
{
    size_t size = sizeof *scope + scope->count * sizeof scope->rules[0];
    struct olv_scope *spared = olv_arena_alloc(&roots->arena, size);
    if (!spared)
        return NULL;
    memcpy(spared, scope, size);
    spared->in_respite = true;
    spared->spared = spared;
    return spared;
}

/* The places around the current one, outermost first, including itself and others with the same path; `base`
 * is where the mount of the last of them begins. */
struct nest {
    const struct rules_begin **places;
    size_t count, base;
};

/* The rules of all nested places on this mount, in policy order. */
static struct olv_scope *make_scope(struct roots *roots, const struct nest *nest, const char *root)
{
    size_t root_len = strlen(root) > 1 ? strlen(root) : 0, count = nest->count - nest->base;
    struct olv_scope *scope = olv_arena_alloc(&roots->arena, sizeof *scope + count * sizeof scope->rules[0]);
    if (!scope)
        return NULL;
    for (size_t i = nest->base; i < nest->count; i++) {
        const struct rules_begin *place = nest->places[i];
        size_t below = strlen(place->path), at = scope->count++;
        /* including the slash after it, not the one before */
        below = below > root_len + 1 ? below - root_len : 0;
        for (; at > 0 && scope->rules[at - 1].rule > place->rule; at--)
            scope->rules[at] = scope->rules[at - 1];
        scope->rules[at] =
            (struct olv_scope_rule){.rule = place->rule,
                                    .path_skip = below,
                                    .depth = below ? depth_below(place->path, root_len + 1) : 0};
    }
    scope->spared = make_spared(roots, scope);
    return scope->spared ? scope : NULL;
}

/* Finds the root that contains this place, or makes it a root. */
static void find_root(struct roots *roots, struct nest *nest, struct rules_begin *place)
{
    const struct rules_begin *around;
    while (nest->count && !olv_path_behind(place->path, nest->places[nest->count - 1]->path))
        nest->count--;
    around = nest->count ? nest->places[nest->count - 1] : NULL;
    if (around && around->mount == place->mount) {
        place->root = around->root;
        place->base = around->base;
        roots->has_nested[place->root] |= strcmp(place->path, roots->paths[place->root]) != 0;
        return;
    }
    place->root = (uint32_t)roots->root_count;
    place->base = nest->count;
    roots->paths[roots->root_count++] = place->path;
}

static bool nest_places(struct roots *roots, struct nest *nest)
{
    for (size_t i = 0, end; i < roots->count; i = end) {
        struct rules_begin *first = &roots->places[i];
        const struct olv_scope *scope;
        find_root(roots, nest, first);
        for (end = i; end < roots->count && strcmp(roots->places[end].path, first->path) == 0; end++) {
            roots->places[end].root = first->root;
            roots->places[end].base = first->base;
            nest->places[nest->count++] = &roots->places[end];
        }
        nest->base = first->base;
        scope = make_scope(roots, nest, roots->paths[first->root]);
        if (!scope)
            return false;
        for (size_t k = i; k < end; k++)
            roots->places[k].scope = scope;
    }
    return true;
}

static bool read_unders(struct roots *roots, const struct olv_policy *policy, struct olv_error *err)
{
    size_t count = 0;
    for (size_t i = 0; i < policy->rule_count; i++)
        count += policy->rules[i].under_count;
    roots->unders = allocate((count + 1) * sizeof(struct olv_pattern *), err);
    for (size_t i = 0; roots->unders && i < policy->rule_count; i++)
        for (size_t k = 0; k < policy->rules[i].under_count; k++) {
            const char *under = policy->rules[i].under[k];
            struct olv_pattern *pattern = olv_pattern_new(under, strlen(under), err);
            if (!pattern)
                return false;
            roots->unders[roots->under_count++] = pattern;
        }
    return roots->unders != NULL;
}

bool roots_find(struct roots *roots, const struct olv_policy *policy, const struct olv_observer *observer,
                struct olv_error *err)
{
    struct nest nest = {0};
    if (!read_unders(roots, policy, err))
        return false;
    for (size_t i = 0; i < policy->rule_count; i++)
        for (size_t k = 0; k < policy->rules[i].under_count; k++)
            if (!expand_under(policy->rules[i].under[k], roots_add_place,
                              &(struct adding){roots, (uint32_t)i, observer}, observer))
                return olv_os_is_exhausted(errno) ? olv_fail_system(err, policy->rules[i].under[k],
                                                                    "cannot find out what a rule is about")
                                                  : olv_fail_memory(err);
    roots->paths = olv_arena_alloc(&roots->arena, (roots->count + 1) * sizeof *roots->paths);
    roots->has_nested = olv_arena_alloc(&roots->arena, (roots->count + 1) * sizeof *roots->has_nested);
    nest.places = olv_arena_alloc(&roots->arena, (roots->count + 1) * sizeof *nest.places);
    if (!nest.places || !roots->paths || !roots->has_nested)
        return olv_fail_memory(err);
    if (roots->count)
        qsort(roots->places, roots->count, sizeof *roots->places, by_path);
    return nest_places(roots, &nest) || olv_fail_memory(err);
}

const struct rules_begin *roots_find_path(const struct roots *roots, uint32_t root, const char *path)
{
    size_t low = 0, high = roots->count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        int order = compare_paths(roots->places[middle].path, path);
        if (order == 0) {
            const struct rules_begin *place = &roots->places[middle];
            return place->root == root ? place : NULL;
        }
        if (order < 0)
            low = middle + 1;
        else
            high = middle;
    }
    return NULL;
}

/* ---- places that are gone ---- */

/* Length of the part of `directory` that leads to an `under` of the rule, as written or without links; the
 * outermost. 0: none does. `unders`: its patterns. */
static size_t reach_of(const struct roots *roots, const struct olv_rule *rule, uint32_t number,
                       struct olv_pattern *const *unders, const char *directory)
{
    size_t len = strlen(directory), best = 0;
    for (size_t i = 0; i < roots->count; i++) {
        const struct rules_begin *place = &roots->places[i];
        size_t n = strlen(place->path);
        if (place->rule == number && olv_path_behind(directory, place->path) && (!best || n < best))
            best = n;
    }
    for (size_t end = 1; end <= len; end++) {
        if (directory[end] != '/' && end != len)
            continue;
        for (size_t k = 0; k < rule->under_count && (!best || end < best); k++)
            if (olv_pattern_fits(unders[k], directory, end))
                best = end;
    }
    return best;
}

const struct olv_scope *roots_scope_of(const struct roots *roots, const struct olv_policy *policy,
                                       const char *directory, struct olv_arena *arena)
{
    size_t size = sizeof(struct olv_scope) + policy->rule_count * sizeof(struct olv_scope_rule);
    struct olv_scope *scope = olv_arena_alloc(arena, size);
    struct olv_pattern *const *unders = roots->unders;
    for (uint32_t i = 0; scope && i < policy->rule_count; unders += policy->rules[i++].under_count) {
        size_t reach = reach_of(roots, &policy->rules[i], i, unders, directory);
        struct olv_scope_rule rule = {.rule = i, .path_skip = reach == 1 ? 1 : reach + 1};
        for (size_t at = 0; reach > 1 && at < reach; at++)
            rule.depth += directory[at] == '/';
        if (reach)
            scope->rules[scope->count++] = rule;
    }
    return scope;
}

void roots_free(struct roots *roots)
{
    for (size_t i = 0; i < roots->under_count; i++)
        olv_pattern_free(roots->unders[i]);
    free(roots->unders);
    olv_arena_free(&roots->arena);
}
