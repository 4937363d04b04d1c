/* SPDX-License-Identifier: Apache-2.0 */
/* What docs/ says of the keys of acts, made from their tables: tools/pages writes it, a test compares it. */
#ifndef OLV_TESTS_PAGES_H
#define OLV_TESTS_PAGES_H

#include "olvido/text.h"

struct page {
    const char *path;          /* below the root of the checkout */
    const char *begins, *ends; /* the lines around what is made */
    void (*put)(struct olv_text *out);
};

extern const struct page pages[]; /* ends with one without a path */

/* The file with what is made in its place; NULL if it cannot be read, or has no such lines. The caller frees
 * both. */
char *page_read(const char *root, const struct page *page);
char *page_make(const struct page *page, const char *is);

#endif
