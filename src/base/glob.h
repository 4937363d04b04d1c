/* SPDX-License-Identifier: Apache-2.0 */
/* Patterns for names and paths: `*` any bytes but '/', `?` one character but '/', `**` any bytes at all.
 * Everything else, brackets included, stands for itself. A pattern matches the whole value. */
#ifndef OLV_BASE_GLOB_H
#define OLV_BASE_GLOB_H

#include <stdbool.h>
#include <stddef.h>

bool olv_glob_match(const char *pattern, size_t pattern_len, const char *text, size_t len, bool ignore_case);
/* Whether the pattern is one star and then text that stands for itself: then only the end of a value matters
 * (and that no slash stands before it), which is much cheaper to see. */
bool olv_glob_is_ending(const char *pattern, size_t len);
/* Whether `text` has a `*` or `?` at all. */
bool olv_glob_is_pattern(const char *text, size_t len);

#endif
