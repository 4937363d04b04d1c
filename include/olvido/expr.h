/* SPDX-License-Identifier: Apache-2.0 */
/* The language of `where`: a statement about one file. docs/policy.md has its grammar. */
#ifndef OLVIDO_EXPR_H
#define OLVIDO_EXPR_H

#include "olvido/policy.h"
#include "olvido/subject.h"
#include "olvido/text.h"
#include "olvido/zone.h"

#include <stddef.h>

struct olv_expr; /* compiled; read-only, so threads may share it */

/* Compiles a statement that stands by itself. NULL with its errors in the diagnostics (whose excerpt is the
 * statement), or without memory. Freed with olv_expr_free. */
struct olv_expr *olv_expr_compile(const char *text, const struct olv_zone *zone,
                                  struct olv_diagnostics *list);
void olv_expr_free(struct olv_expr *expr); /* only of olv_expr_compile; NULL is fine */

/* Scratch memory for testing; one per thread. NULL without memory. */
struct olv_expr_scratch;
struct olv_expr_scratch *olv_expr_scratch_new(void);
void olv_expr_scratch_free(struct olv_expr_scratch *scratch);

/* What each "age" in it means at an instant, in a time zone; read-only from then on, and freed with free.
 * NULL without memory. */
struct olv_instant *olv_expr_bind(const struct olv_expr *expr, struct olv_instant now,
                                  const struct olv_zone *zone);
/* Unknown where a fact cannot be had, or a regular expression took more than its share of work. */
enum olv_truth olv_expr_test(const struct olv_expr *expr, const struct olv_instant *ages,
                             struct olv_subject *subject, struct olv_expr_scratch *scratch);

/* Appends why the statement has the answer that it has for this subject: the parts that decide it, as they
 * are written, each with the value that it met. `answer` is that of olv_expr_test, which was called with this
 * scratch right before. */
void olv_expr_explain(const struct olv_expr *expr, struct olv_subject *subject,
                      struct olv_expr_scratch *scratch, enum olv_truth answer, struct olv_instant now,
                      struct olv_text *out);

#endif
