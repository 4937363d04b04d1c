/* SPDX-License-Identifier: Apache-2.0 */
/* The two wildcards of `like` in a statement: `*` matches any bytes except '/', `?` one character except '/',
 * `**` any bytes. Everything else, including brackets, is literal. A pattern matches the whole value. */
#ifndef OLV_BASE_GLOB_H
#define OLV_BASE_GLOB_H

#include <stdbool.h>
#include <stddef.h>

bool olv_glob_match(const char *pattern, size_t pattern_len, const char *text, size_t len, bool ignore_case);
/* Whether the pattern is one star and then literal text: then comparing the end of a value suffices (if no
 * slash comes before it), which is much cheaper. */
bool olv_glob_is_ending(const char *pattern, size_t len);

#endif
