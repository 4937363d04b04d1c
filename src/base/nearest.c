/* SPDX-License-Identifier: Apache-2.0 */
/* Optimal string alignment: an insertion, deletion, substitution or swap of neighbours costs one. */
#include "olvido/nearest.h"

#include <stdio.h>
#include <string.h>

enum { LONGEST = 40, MOST_EDITS = 2 };

static size_t min2(size_t a, size_t b)
{
    return a < b ? a : b;
}

static size_t nearest_distance(const char *a, size_t n, const char *b, size_t m)
{
    size_t d[LONGEST + 1][LONGEST + 1];
    for (size_t i = 0; i <= n; i++)
        d[i][0] = i;
    for (size_t j = 0; j <= m; j++)
        d[0][j] = j;
    for (size_t i = 1; i <= n; i++)
        for (size_t j = 1; j <= m; j++) {
            d[i][j] = min2(min2(d[i - 1][j], d[i][j - 1]) + 1, d[i - 1][j - 1] + (a[i - 1] != b[j - 1]));
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                d[i][j] = min2(d[i][j], d[i - 2][j - 2] + 1);
        }
    return d[n][m];
}

const char *olv_nearest(const char *text, size_t len, const char *const *words, size_t count)
{
    const char *best = NULL;
    size_t fewest = MOST_EDITS + 1;
    if (len > LONGEST)
        return NULL;
    for (size_t i = 0; i < count; i++) {
        size_t n = strlen(words[i]), edits = n > LONGEST ? LONGEST : nearest_distance(text, len, words[i], n);
        if (edits < fewest && 2 * edits < n) {
            fewest = edits;
            best = words[i];
        }
    }
    return best;
}

void olv_list_words(const char *const *words, size_t count, char *out, size_t size)
{
    size_t len = 0;
    out[0] = '\0';
    for (size_t i = 0; i < count && len < size; i++)
        len += (size_t)snprintf(out + len, size - len, "%s%s", words[i],
                                i + 2 < count    ? ", "
                                : i + 2 == count ? " or "
                                                 : "");
}
