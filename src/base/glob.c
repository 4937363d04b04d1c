/* SPDX-License-Identifier: Apache-2.0 */
/* Matching is a loop with two places to backtrack to, the last `*` and the last `**`, so its cost is bounded
 * by the product of the lengths. Characters are UTF-8 sequences; an invalid byte counts as a character. */
#include "base/glob.h"

#include "base/characters.h"

#include <stdint.h>
#include <string.h>
#include <unicase.h>

struct back {
    size_t pattern, text; /* resume the pattern here after giving the star one more character */
    bool set;
};

static bool glob_same(uint32_t a, uint32_t b, bool ignore_case)
{
    if (a == b)
        return true;
    return ignore_case && a < OLV_NO_CHARACTER && b < OLV_NO_CHARACTER && uc_tolower(a) == uc_tolower(b);
}

/* Matches one ordinary pattern character or `?`, and advances both if it matches. */
static bool glob_step(const char *p, size_t np, size_t *i, const char *t, size_t nt, size_t *j,
                      bool ignore_case)
{
    uint32_t a, b;
    size_t la, lb;
    if (*i == np || *j == nt)
        return false;
    la = olv_character(p + *i, np - *i, &a);
    lb = olv_character(t + *j, nt - *j, &b);
    if (a == '?' ? b == '/' : !glob_same(a, b, ignore_case))
        return false;
    *i += la;
    *j += lb;
    return true;
}

/* Lets the nearest star that still can take one more byte. */
static bool go_back(struct back *one, struct back *any, const char *t, size_t nt, size_t *i, size_t *j)
{
    if (one->set && one->text < nt && t[one->text] != '/') {
        *i = one->pattern;
        *j = ++one->text;
        return true;
    }
    if (any->set && any->text < nt) {
        one->set = false;
        *i = any->pattern;
        *j = ++any->text;
        return true;
    }
    return false;
}

bool olv_glob_match(const char *p, size_t np, const char *t, size_t nt, bool ignore_case)
{
    struct back one = {0}, any = {0};
    size_t i = 0, j = 0;
    for (;;) {
        if (i < np && p[i] == '*') {
            bool twice = i + 1 < np && p[i + 1] == '*';
            i += twice ? 2 : 1;
            *(twice ? &any : &one) = (struct back){i, j, true};
            if (twice)
                one.set = false;
        } else if (i == np && j == nt) {
            return true;
        } else if (!glob_step(p, np, &i, t, nt, &j, ignore_case) && !go_back(&one, &any, t, nt, &i, &j)) {
            return false;
        }
    }
}

bool olv_glob_is_ending(const char *pattern, size_t len)
{
    return len > 1 && pattern[0] == '*' && !memchr(pattern + 1, '*', len - 1) &&
           !memchr(pattern + 1, '?', len - 1);
}
