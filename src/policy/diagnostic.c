/* SPDX-License-Identifier: Apache-2.0 */
/* Diagnostics and copies of their words share one arena. */
#include "policy/diagnostic.h"

#include "base/arena.h"

#include <stdlib.h>
#include <string.h>

struct olv_diagnostics_memory {
    struct olv_arena arena;
    struct olv_diagnostic items[MOST_DIAGNOSTICS];
};

static const char *copy(struct olv_diagnostics_memory *memory, const char *text)
{
    return text ? olv_arena_copy(&memory->arena, text, strlen(text)) : NULL;
}

static int characters(const char *from, const char *to)
{
    int count = 0;
    for (; from < to; from++)
        count += ((unsigned char)*from & 0xC0) != 0x80;
    return count;
}

static void diagnostic_locate(struct olv_diagnostic *d, struct olv_diagnostics_memory *memory,
                              const struct policy_text *source, struct position position)
{
    const char *at = source->text + (position.offset < source->len ? position.offset : source->len);
    const char *start = at, *end = at, *stop = source->text + source->len;
    d->line = 1;
    for (const char *p = source->text; p < at; p++)
        d->line += *p == '\n';
    while (start > source->text && start[-1] != '\n')
        start--;
    while (end < stop && *end != '\n' && *end != '\r')
        end++;
    d->column = characters(start, at) + 1;
    d->width = characters(at, at + position.len < end ? at + position.len : end);
    if (d->width < 1)
        d->width = 1;
    if (source->len)
        d->excerpt = olv_arena_copy(&memory->arena, start, (size_t)(end - start));
}

static struct olv_diagnostics_memory *memory_of(struct olv_diagnostics *list)
{
    if (!list->memory)
        list->memory = calloc(1, sizeof *list->memory);
    if (!list->memory || list->count == MOST_DIAGNOSTICS)
        return NULL;
    list->items = list->memory->items;
    return list->memory;
}

void olv_diagnostics_warn(struct olv_diagnostics *list, int line, const char *message)
{
    struct olv_diagnostics_memory *memory = memory_of(list);
    struct olv_diagnostic d = {.is_warning = true, .line = line, .column = 1, .width = 1};
    if (memory && (d.message = copy(memory, message)))
        list->items[list->count++] = d;
}

void diagnose(struct olv_diagnostics *list, const struct policy_text *source, struct position position,
              struct complaint complaint)
{
    struct olv_diagnostic d = {0};
    if (!memory_of(list))
        return;
    diagnostic_locate(&d, list->memory, source, position);
    d.message = copy(list->memory, complaint.message);
    d.expected = copy(list->memory, complaint.expected);
    d.nearest = copy(list->memory, complaint.nearest);
    d.is_warning = complaint.is_warning;
    if (!d.message)
        return;
    list->items[list->count++] = d;
    list->errors += !d.is_warning;
}

static int by_position(const void *a, const void *b)
{
    const struct olv_diagnostic *x = a, *y = b;
    return x->line != y->line ? x->line - y->line : x->column - y->column;
}

void diagnostics_sort(struct olv_diagnostics *list)
{
    if (list->count)
        qsort(list->items, list->count, sizeof *list->items, by_position);
}

void olv_diagnostics_free(struct olv_diagnostics *list)
{
    if (list->memory)
        olv_arena_free(&list->memory->arena);
    free(list->memory);
    *list = (struct olv_diagnostics){0};
}
