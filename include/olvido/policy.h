/* SPDX-License-Identifier: Apache-2.0 */
/* The policy file: YAML 1.2, read once, with every error in it found and placed. docs/policy.md is its
 * reference. */
#ifndef OLVIDO_POLICY_H
#define OLVIDO_POLICY_H

#include "olvido/calendar.h"
#include "olvido/error.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum olv_act_id {
    OLV_ACT_KEEP,
    OLV_ACT_TELL,
    OLV_ACT_COMPRESS,
    OLV_ACT_ARCHIVE,
    OLV_ACT_COPY,
    OLV_ACT_MOVE,
    OLV_ACT_PROTECT,
    OLV_ACT_DISCARD,
    OLV_ACT_DELETE,
    OLV_ACT_DESTROY,
    OLV_ACT_SWEEP,
    OLV_ACT_RECOVER, /* by hand only */
    OLV_ACT_COUNT
};

/* The word of an act as policies, tables and the ledger spell it. */
const char *olv_act_word(enum olv_act_id act);

struct olv_step {
    struct olv_duration after;
    const char *after_text; /* as written */
    enum olv_act_id act;
};

struct olv_rule {
    const char *name, *note; /* note may be NULL */
    const char *const *under;
    size_t under_count;
    const char *where;           /* as written; NULL: every file */
    struct olv_expr *where_expr; /* NULL: every file */
    struct olv_step *steps;      /* in the order of `after` */
    size_t step_count;
    int line;
};

/* Everything in it is owned by it and read-only. */
struct olv_policy {
    const char *path;
    const char *title, *author, *note; /* may be NULL */
    struct olv_rule *rules;
    size_t rule_count;
    uint8_t digest[32]; /* SHA-256 of the file's bytes */
    struct olv_policy_memory *memory;
};

struct olv_diagnostic {
    int line, column;     /* from 1; columns count characters */
    int width;            /* characters the caret underlines, at least 1 */
    const char *message;  /* what is wrong */
    const char *expected; /* what would fit; may be NULL */
    const char *nearest;  /* the known word that was probably meant; may be NULL */
    const char *excerpt;  /* the line, without its end; NULL where there is none */
};

struct olv_diagnostics {
    struct olv_diagnostic *items; /* in the order of the file */
    size_t count;
    struct olv_diagnostics_memory *memory;
};

/* Reads and checks the file. NULL with OLV_POLICY when it has errors, which are then in `diagnostics`; NULL
 * with another code when it cannot be read at all. Free both with the functions below, whatever came back. */
struct olv_policy *olv_policy_load(const char *path, struct olv_diagnostics *diagnostics,
                                   struct olv_error *err);
void olv_policy_free(struct olv_policy *policy);
void olv_diagnostics_free(struct olv_diagnostics *diagnostics);

#endif
