/* SPDX-License-Identifier: Apache-2.0 */
/* Reads a mapping by a table of its keys; shared by all parts of a policy. */
#ifndef OLV_POLICY_MAPPING_H
#define OLV_POLICY_MAPPING_H

#include "base/arena.h"
#include "keys/keys.h"
#include "policy/document.h"

enum { MOST_KEYS = 32 };

struct reader {
    struct document doc;
    struct olv_diagnostics *list;
    struct olv_policy *policy;
    struct olv_arena *arena;
    struct fy_node *statement; /* the scalar whose expression is being parsed */
    bool out_of_memory;
};

/* A key of a mapping: its value is read by a function, or by its type into a member of the target. */
struct key {
    const char *name;
    void (*read)(struct reader *r, struct fy_node *value, void *target); /* NULL: by its type */
    bool is_required;
    enum {
        KEY_READ_BEFORE, /* or afterwards */
        KEY_FOREIGN,     /* says nothing about the act that the mapping is about */
        KEY_TEXT,
        KEY_DURATION,
        KEY_TRUTH
    } type;
    size_t at;       /* offset of a const char *, a struct olv_duration or a bool */
    const char *act; /* KEY_FOREIGN: its word; "": not known */
};

/* Records an error at a position; `expected` and `nearest` may be NULL. Reading goes on. */
void policy_complain(struct reader *r, struct position position, const char *expected, const char *nearest,
                     const char *format, ...);
/* The same for what is wrong with an argument, whose value is `at`; `against` is that of the other one, if
 * two contradict each other. */
void policy_complain_of(struct reader *r, struct fy_node *at, struct fy_node *against,
                        const struct key_fault *fault);
/* The same for what is valid, but probably unintended. */
void policy_warn(struct reader *r, int line, const char *format, ...);
/* The line of a position, from 1. */
int policy_line(const struct reader *r, struct position position);
/* The value of a scalar, or NULL for anything else. */
const char *policy_scalar(struct fy_node *node, size_t *len);
/* A copied, non-empty string, or NULL after a complaint. */
const char *policy_string(struct reader *r, struct fy_node *node, const char *what);
/* Readers of values; false (or -1) after a complaint. */
bool policy_duration(struct reader *r, struct fy_node *node, struct olv_duration *out);
bool policy_truth(struct reader *r, struct fy_node *node, bool *out);
/* The index of the word; `what` names what it should be ("act"). */
int policy_word(struct reader *r, struct fy_node *node, const char *what, const char *const *words,
                size_t count, const char *expected);
/* Reads each pair by its key's line in the table; complains about unknown, unbuilt and missing keys. */
void policy_mapping(struct reader *r, struct fy_node *node, const char *what, const struct key *keys,
                    size_t count, void *target);
/* A zeroed array for the items of a list, in the arena; NULL after a complaint. */
void *policy_items(struct reader *r, struct fy_node *list, const char *what, int most, size_t item_size);

#endif
