/* SPDX-License-Identifier: Apache-2.0 */
/* From the `under` paths of all rules to the trees to walk, each once, and the rules that apply where. */
#ifndef OLV_JUDGE_ROOTS_H
#define OLV_JUDGE_ROOTS_H

#include "base/arena.h"
#include "judge/decide.h"
#include "olvido/observer.h"

struct olv_pattern;

struct rules_begin {
    const char *path; /* absolute, canonical */
    uint64_t mount;
    uint32_t rule;
    uint32_t root;                 /* index of the root that contains it */
    size_t base;                   /* of the places around it, the first on this mount */
    const struct olv_scope *scope; /* the rules that apply from here on down */
};

struct roots {
    struct olv_arena arena;
    struct rules_begin *places; /* sorted by path, a directory right before its contents */
    size_t count, cap;
    const char **paths; /* of the roots, sorted */
    bool *has_nested;   /* per root: whether rules begin below it */
    size_t root_count;
    struct olv_pattern **unders; /* of all rules, one after the other; owned */
    size_t under_count;
};

/* A path that does not exist or cannot be reached is reported to the observer and left out. False with `err`
 * if descriptors or memory run out, or a disk fails: then nobody knows which rule owns what. */
bool roots_find(struct roots *roots, const struct olv_policy *policy, const struct olv_observer *observer,
                struct olv_error *err);
/* The place with exactly this path in this root, or NULL. */
const struct rules_begin *roots_find_path(const struct roots *roots, uint32_t root, const char *path);
/* The rules whose `under` contains or is a directory that may no longer exist, by its path alone; allocated
 * in the arena, NULL without memory. A path_skip counts from the first byte of the path. */
const struct olv_scope *roots_scope_of(const struct roots *roots, const struct olv_policy *policy,
                                       const char *directory, struct olv_arena *arena);
void roots_free(struct roots *roots);

#endif
