/* SPDX-License-Identifier: Apache-2.0 */
#include "survey/tops.h"

#include <stdlib.h>
#include <string.h>

bool tops_want_large(const struct olv_survey_top *tops, size_t count, uint64_t size_bytes)
{
    return count < OLV_SURVEY_TOPS || size_bytes > tops[count - 1].size_bytes;
}

bool tops_want_old(const struct olv_survey_top *tops, size_t count, struct olv_instant when)
{
    return count < OLV_SURVEY_TOPS || olv_instant_compare(when, tops[count - 1].when) < 0;
}

/* Makes room at `at`; a full table loses its last one. */
static void insert(struct olv_survey_top *tops, size_t *count, size_t at, struct olv_survey_top top)
{
    if (!top.path || at >= OLV_SURVEY_TOPS) {
        free(top.path);
        return;
    }
    if (*count == OLV_SURVEY_TOPS)
        free(tops[--*count].path);
    memmove(tops + at + 1, tops + at, (*count - at) * sizeof *tops);
    tops[at] = top;
    ++*count;
}

void tops_add_large(struct olv_survey_top *tops, size_t *count, uint64_t size_bytes, struct olv_instant when,
                    const char *path)
{
    size_t at = 0;
    while (at < *count && tops[at].size_bytes >= size_bytes)
        at++;
    insert(tops, count, at, (struct olv_survey_top){size_bytes, when, strdup(path)});
}

void tops_add_old(struct olv_survey_top *tops, size_t *count, uint64_t size_bytes, struct olv_instant when,
                  const char *path)
{
    size_t at = 0;
    while (at < *count && olv_instant_compare(tops[at].when, when) <= 0)
        at++;
    insert(tops, count, at, (struct olv_survey_top){size_bytes, when, strdup(path)});
}

void tops_free(struct olv_survey_top *tops, size_t count)
{
    for (size_t i = 0; i < count; i++)
        free(tops[i].path);
}

struct olv_survey_owner *owners_find(struct olv_survey_owner **owners, size_t *count, size_t *last,
                                     uint32_t owner)
{
    struct olv_survey_owner *grown;
    if (*last < *count && (*owners)[*last].owner == owner)
        return &(*owners)[*last];
    for (*last = 0; *last < *count; ++*last)
        if ((*owners)[*last].owner == owner)
            return &(*owners)[*last];
    grown = *count < OLV_SURVEY_OWNERS ? realloc(*owners, (*count + 1) * sizeof *grown) : NULL;
    if (!grown)
        return NULL;
    *owners = grown;
    grown[*count] = (struct olv_survey_owner){.owner = owner};
    return &grown[(*count)++];
}

static int by_bytes(const void *a, const void *b)
{
    const struct olv_survey_owner *x = a, *y = b;
    if (x->bytes != y->bytes)
        return x->bytes < y->bytes ? 1 : -1;
    return x->owner < y->owner ? -1 : x->owner > y->owner;
}

void owners_sort(struct olv_survey_owner *owners, size_t count)
{
    if (count)
        qsort(owners, count, sizeof *owners, by_bytes);
}
