/* SPDX-License-Identifier: Apache-2.0 */
/* Collects what is wrong with a policy, with positions in its source. */
#ifndef OLV_POLICY_DIAGNOSTIC_H
#define OLV_POLICY_DIAGNOSTIC_H

#include "olvido/policy.h"

/* A policy's bytes, to turn offsets into lines and columns. */
struct policy_text {
    const char *text; /* valid UTF-8; borrowed */
    size_t len;
};

/* A position in the source, in bytes. */
struct position {
    size_t offset, len;
};

/* What went wrong, in words; `expected` and `nearest` may be NULL. Everything is copied. */
struct complaint {
    const char *message, *expected, *nearest;
    bool is_warning;
};

enum { MOST_DIAGNOSTICS = 100 }; /* a file with more is not a policy */

void diagnose(struct olv_diagnostics *list, const struct policy_text *source, struct position position,
              struct complaint complaint);
/* Sorts by position. */
void diagnostics_sort(struct olv_diagnostics *list);

#endif
