/* SPDX-License-Identifier: Apache-2.0 */
/* Patterns for names and paths, the same wherever one is typed; `olvido help patterns` describes them:
 *
 *     *           any characters of a name            [a-f]  one of these characters
 *     ?           one character of a name             [!x]   one that is none of these
 *     **          any characters, slashes too         {a,b}  one of these patterns
 *     ** and /    any number of directories          {003..117}  a number, as wide as written if it has zeros
 *
 * A backslash before one of these makes it an ordinary character. A pattern fits a whole value. */
#ifndef OLVIDO_PATTERN_H
#define OLVIDO_PATTERN_H

#include "olvido/error.h"
#include "olvido/text.h"

struct olv_pattern;

/* NULL with OLV_USAGE (what is wrong, and what would be right), or without memory. */
struct olv_pattern *olv_pattern_new(const char *text, size_t len, struct olv_error *err);
void olv_pattern_free(struct olv_pattern *pattern);
bool olv_pattern_fits(const struct olv_pattern *pattern, const char *text, size_t len);
/* The same for it, or a directory above it. */
bool olv_pattern_fits_above(const struct olv_pattern *pattern, const char *path, size_t len);
/* Whether something that begins with this text may fit. */
bool olv_pattern_leads(const struct olv_pattern *pattern, const char *text, size_t len);
/* The only value that fits; NULL: there may be several. */
const char *olv_pattern_only(const struct olv_pattern *pattern);
/* What everything that fits begins with. */
const char *olv_pattern_begins(const struct olv_pattern *pattern);
/* Whether it has a slash. */
bool olv_pattern_has_slash(const struct olv_pattern *pattern);

/* Appends something that fits, with `star` for each wildcard that takes several characters. */
void olv_pattern_example(const struct olv_pattern *pattern, const char *star, struct olv_text *out);

/* Whether a text has anything that only patterns have: an unescaped `*`, `?`, `[` or `{`. */
bool olv_pattern_is_one(const char *text, size_t len);
/* Where a component of a path ends that begins at `text`: its slash, but none within braces. */
size_t olv_pattern_component(const char *text, size_t len);
/* Appends the pattern that fits only this text. */
void olv_pattern_quote(struct olv_text *out, const char *text, size_t len);

#endif
