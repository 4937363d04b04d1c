/* SPDX-License-Identifier: Apache-2.0 */
/* The language of `where`: a statement about one file. docs/policy.md has the grammar. */
#ifndef OLVIDO_EXPR_H
#define OLVIDO_EXPR_H

#include "olvido/policy.h"
#include "olvido/subject.h"
#include "olvido/text.h"
#include "olvido/zone.h"

#include <stddef.h>

struct olv_expr; /* compiled; read-only, so threads may share it */

/* Compiles a standalone statement. NULL with the errors in the diagnostics (whose excerpt is the statement),
 * or when memory runs out. Free with olv_expr_free. */
struct olv_expr *olv_expr_compile(const char *text, const struct olv_zone *zone,
                                  struct olv_diagnostics *list);
/* Whether it says which kinds it is about; one that does not is about files. */
bool olv_expr_names_kind(const struct olv_expr *expr);
void olv_expr_free(struct olv_expr *expr); /* only for results of olv_expr_compile; NULL is fine */

/* Scratch memory for testing; one per thread. NULL without memory. */
struct olv_expr_scratch;
struct olv_expr_scratch *olv_expr_scratch_new(void);
void olv_expr_scratch_free(struct olv_expr_scratch *scratch);

/* Resolves each "age" in it at an instant, in a time zone. Read-only afterwards; free with free(). NULL
 * without memory. */
struct olv_instant *olv_expr_bind(const struct olv_expr *expr, struct olv_instant now,
                                  const struct olv_zone *zone);
/* OLV_UNKNOWN if a fact is missing, or a regular expression exceeded its share of work. */
enum olv_truth olv_expr_test(const struct olv_expr *expr, const struct olv_instant *ages,
                             struct olv_subject *subject, struct olv_expr_scratch *scratch);

/* Appends why the statement has this answer for this subject: the deciding parts as written, each with the
 * value it met. `answer` is what olv_expr_test just returned with this scratch. */
void olv_expr_explain(const struct olv_expr *expr, struct olv_subject *subject,
                      struct olv_expr_scratch *scratch, enum olv_truth answer, struct olv_instant now,
                      struct olv_text *out);

#endif
