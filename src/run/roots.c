/* SPDX-License-Identifier: Apache-2.0 */
/* `under` paths may lie in one another: the outermost of each mount is walked, and further in the rules of
 * the inner ones join those of the outer. A path on another mount than the one around it is a root of its
 * own, for a walk stays on its mount. */
#include "run/roots.h"

#include "os/os.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static void tell(const struct olv_observer *observer, const char *path, const char *what, int sys)
{
    olv_observe_trouble(observer, (struct olv_trouble){OLV_TROUBLE_UNREADABLE, path, what, sys});
}

static bool add_place(struct roots *roots, const char *path, uint32_t rule,
                      const struct olv_observer *observer)
{
    struct root_place *place = &roots->places[roots->count];
    char *real = realpath(path, NULL);
    struct olv_stat stat;
    int fd;
    if (!real) {
        tell(observer, path, "looking for it (`under` of a rule)", errno);
        return true;
    }
    fd = olv_os_open_path(real);
    if (fd < 0 || !olv_os_stat(fd, "", &stat)) {
        tell(observer, path, "opening it (`under` of a rule)", errno);
    } else {
        *place = (struct root_place){
            .path = olv_arena_copy(&roots->arena, real, strlen(real)), .mount = stat.mount, .rule = rule};
        roots->count++;
    }
    if (fd >= 0)
        close(fd);
    free(real);
    return fd < 0 || place->path;
}

static int by_path(const void *a, const void *b)
{
    const struct root_place *x = a, *y = b;
    int order = strcmp(x->path, y->path);
    return order ? order : (x->rule < y->rule ? -1 : x->rule > y->rule);
}

static bool is_at_or_below(const struct root_place *place, const struct root_place *top)
{
    size_t n = strlen(top->path);
    if (place->mount != top->mount || strncmp(place->path, top->path, n) != 0)
        return false;
    return place->path[n] == '\0' || place->path[n] == '/' || n == 1;
}

static uint32_t depth_below(const char *path, size_t skip)
{
    uint32_t depth = path[skip] ? 1 : 0;
    for (const char *p = path + skip; *p; p++)
        depth += *p == '/';
    return depth;
}

static void find_roots(struct roots *roots, const struct root_place **outermost)
{
    for (size_t i = 0; i < roots->count; i++) {
        struct root_place *place = &roots->places[i];
        size_t r = 0;
        while (r < roots->root_count && !is_at_or_below(place, outermost[r]))
            r++;
        place->root = (uint32_t)r;
        if (r == roots->root_count) {
            outermost[r] = place;
            roots->paths[roots->root_count++] = place->path;
        } else if (strcmp(place->path, roots->paths[r]) != 0) {
            roots->has_nested[r] = true;
        }
    }
}

/* The rules whose `under` is this place or around it, in the order of the policy. */
static struct olv_scope *make_scope(struct roots *roots, const struct root_place *place)
{
    const char *root = roots->paths[place->root];
    size_t root_len = strlen(root) > 1 ? strlen(root) : 0;
    struct olv_scope *scope =
        olv_arena_alloc(&roots->arena, sizeof *scope + roots->count * sizeof scope->rules[0]);
    if (!scope)
        return NULL;
    for (size_t i = 0; i < roots->count; i++) {
        const struct root_place *other = &roots->places[i];
        size_t below = strlen(other->path), at = scope->count;
        if (!is_at_or_below(place, other))
            continue;
        below = below > root_len + 1 ? below - root_len
                                     : 0; /* with the slash behind it, counted without the one before */
        while (at > 0 && scope->rules[at - 1].rule > other->rule) {
            scope->rules[at] = scope->rules[at - 1];
            at--;
        }
        scope->rules[at].rule = other->rule;
        scope->rules[at].path_skip = below;
        scope->rules[at].depth = below ? depth_below(other->path, root_len + 1) : 0;
        scope->count++;
    }
    return scope;
}

bool roots_find(struct roots *roots, const struct olv_policy *policy, const struct olv_observer *observer)
{
    const struct root_place **outermost;
    size_t most = 0;
    for (size_t i = 0; i < policy->rule_count; i++)
        most += policy->rules[i].under_count;
    roots->places = olv_arena_alloc(&roots->arena, most * sizeof *roots->places);
    roots->paths = olv_arena_alloc(&roots->arena, most * sizeof *roots->paths);
    roots->has_nested = olv_arena_alloc(&roots->arena, most * sizeof *roots->has_nested);
    outermost = olv_arena_alloc(&roots->arena, most * sizeof *outermost);
    if (!outermost || !roots->places || !roots->paths || !roots->has_nested)
        return false;
    for (size_t i = 0; i < policy->rule_count; i++)
        for (size_t k = 0; k < policy->rules[i].under_count; k++)
            if (!add_place(roots, policy->rules[i].under[k], (uint32_t)i, observer))
                return false;
    if (roots->count)
        qsort(roots->places, roots->count, sizeof *roots->places, by_path);
    find_roots(roots, outermost);
    for (size_t i = 0; i < roots->count; i++)
        if (!(roots->places[i].scope = make_scope(roots, &roots->places[i])))
            return false;
    return true;
}

const struct root_place *roots_place(const struct roots *roots, uint32_t root, const char *path)
{
    size_t low = 0, high = roots->count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        int order = strcmp(roots->places[middle].path, path);
        if (order == 0) {
            const struct root_place *place = &roots->places[middle];
            return place->root == root ? place : NULL;
        }
        if (order < 0)
            low = middle + 1;
        else
            high = middle;
    }
    return NULL;
}

void roots_free(struct roots *roots)
{
    olv_arena_free(&roots->arena);
}
