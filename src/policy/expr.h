/* SPDX-License-Identifier: Apache-2.0 */
/* The compiled form of a `where` statement, between its parser and its test. */
#ifndef OLV_POLICY_EXPR_H
#define OLV_POLICY_EXPR_H

#define PCRE2_CODE_UNIT_WIDTH 8
#include "base/arena.h"
#include "olvido/expr.h"
#include "olvido/zone.h"

#include <pcre2.h>

enum field_id {
    FIELD_NAME,
    FIELD_STEM,
    FIELD_SUFFIX,
    FIELD_PATH,
    FIELD_SIZE,
    FIELD_AGE,
    FIELD_MODIFIED,
    FIELD_ACCESSED,
    FIELD_CHANGED,
    FIELD_BORN,
    FIELD_OWNER,
    FIELD_GROUP,
    FIELD_MODE,
    FIELD_KIND,
    FIELD_LINKS,
    FIELD_DEPTH
};

enum word_id { WORD_EMPTY, WORD_OPEN, WORD_READONLY, WORD_PROTECTED, WORD_HELD, WORD_WORLD_WRITABLE };

enum value_type {
    TYPE_TEXT,
    TYPE_SIZE,
    TYPE_DURATION,
    TYPE_DATE,
    TYPE_USER,
    TYPE_GROUP,
    TYPE_OCTAL,
    TYPE_KIND,
    TYPE_COUNT
};

enum comparison { IS, IS_NOT, LESS, LESS_OR_SAME, MORE, MORE_OR_SAME, IN, LIKE, LIKE_IGNORING_CASE, MATCHES };

struct field {
    const char *name;
    enum field_id id;
    enum value_type type;
};

const struct field *field_find(const char *name, size_t len);
/* The names of all fields and words, for suggestions. */
const char *const *field_names(size_t *count);
bool word_find(const char *name, size_t len, enum word_id *out);

struct value {
    uint64_t number; /* sizes, counts, ids, modes, kinds */
    struct olv_duration duration;
    struct olv_instant from, until; /* dates: from the first instant to before the last */
    const char *text;
    size_t len;
    bool is_ending; /* of a pattern: one star, then literal text */
};

enum node_kind { NODE_AND, NODE_OR, NODE_NOT, NODE_WORD, NODE_COMPARE };

struct expr_node {
    enum node_kind kind;
    struct expr_node *left, *right; /* NOT has only the left one */
    enum word_id word;
    enum field_id field;
    enum value_type type;
    enum comparison comparison;
    struct value *values;
    size_t value_count;
    size_t age; /* of an age: its index in the statement */
    pcre2_code *regex;
    bool is_compiled;             /* also to machine code */
    struct expr_node *next_regex; /* everything to free */
    size_t offset, text_len;      /* of a word or comparison, in the statement */
};

struct olv_expr {
    struct expr_node *top;
    struct expr_node *regexes;
    size_t age_count;
    struct olv_arena own; /* of a standalone one */
    bool names_kind;      /* otherwise it is about files */
    const char *text;     /* of the statement; borrowed from whoever had it parsed */
};

/* Receives the parser's complaints: an offset into the text, and words (valid during the call). */
struct expr_complaint {
    size_t offset, len;
    const char *message, *expected, *nearest;
};

struct expr_parse_options {
    void *self;
    void (*complain)(void *self, const struct expr_complaint *complaint);
    bool (*user_id)(const char *name, uint32_t *out);
    bool (*group_id)(const char *name, uint32_t *out);
    const struct olv_zone *zone; /* in which a date without a time is a day */
};

/* Compiles a statement into the arena; NULL after at least one complaint, or without memory (then none).
 * Regular expressions live outside the arena: free them with expr_release. */
struct olv_expr *expr_parse(const char *text, size_t len, struct olv_arena *arena,
                            const struct expr_parse_options *options);
void expr_release(struct olv_expr *expr);
/* The truth of one part. */
enum olv_truth expr_test_node(const struct expr_node *node, struct olv_subject *subject,
                              struct olv_expr_scratch *scratch);
/* Whether the statement could be true of a directory. */
bool expr_can_be_directory(const struct olv_expr *expr);
/* Why the statement can never be true, as far as bounds and values show; NULL: it may be. */
const char *expr_contradiction(const struct olv_expr *expr);

#endif
