/* SPDX-License-Identifier: Apache-2.0 */
/* The file `directorysizes`: for every directory in the trash a line with its size on disk, the time of its
 * info file and its name, percent-encoded. It is a cache: what is missing or outdated is unknown, and does no
 * harm. */
#include "trash/trash.h"

#include "base/grow.h"
#include "os/durable.h"
#include "os/os.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const char NAME[] = "directorysizes";
enum { LARGEST = 64 << 20, MOST_CHANGES = 8192 };

struct change {
    char *item; /* owned */
    uint64_t bytes;
    bool is_gone;
};

struct known {
    char *item; /* owned */
    uint64_t bytes;
    int64_t time_s;
};

struct trash_sizes {
    struct change *changes;
    size_t count, cap;
    bool is_read;
    struct known *known; /* the file as read for trash_sizes_find, sorted */
    size_t known_count;
};

static struct trash_sizes *sizes_of(struct olv_trash *trash)
{
    if (!trash->sizes)
        trash->sizes = calloc(1, sizeof *trash->sizes);
    return trash->sizes;
}

static void sizes_add(struct olv_trash *trash, const char *item, uint64_t bytes, bool is_gone)
{
    struct trash_sizes *s = sizes_of(trash);
    if (!s || s->count == MOST_CHANGES || !grow(&s->changes, s->count, &s->cap, sizeof *s->changes) ||
        !(s->changes[s->count].item = strdup(item)))
        return;
    s->changes[s->count].bytes = bytes;
    s->changes[s->count++].is_gone = is_gone;
}

void trash_sizes_note(struct olv_trash *trash, const char *item, uint64_t allocated_bytes)
{
    sizes_add(trash, item, allocated_bytes, false);
}

void trash_sizes_drop(struct olv_trash *trash, const char *item)
{
    struct olv_stat stat;
    /* without such a file there is nothing to remove from it */
    if (trash->sizes || olv_os_stat(trash->dir, NAME, &stat))
        sizes_add(trash, item, 0, true);
}

static void sizes_forget(struct trash_sizes *s)
{
    for (size_t i = 0; i < s->known_count; i++)
        free(s->known[i].item);
    free(s->known);
    s->known = NULL;
    s->known_count = 0;
    s->is_read = false;
}

void trash_sizes_free(struct trash_sizes *s)
{
    if (!s)
        return;
    for (size_t i = 0; i < s->count; i++)
        free(s->changes[i].item);
    free(s->changes);
    sizes_forget(s);
    free(s);
}

/* ---- lines ---- */

struct line {
    uint64_t bytes;
    int64_t time_s;
    struct olv_text name; /* decoded; reused for each line */
};

/* The next readable line of the text; skips others. */
static bool next_line(const struct olv_text *text, size_t *at, struct line *out)
{
    while (*at < text->len) {
        const char *line = text->data + *at, *stop = memchr(line, '\n', text->len - *at);
        size_t len = stop ? (size_t)(stop - line) : text->len - *at;
        unsigned long long bytes;
        long long time_s;
        int used = 0;
        *at += len + 1;
        if (sscanf(line, "%20llu %20lld %n", &bytes, &time_s, &used) == 2 && used > 0 && (size_t)used < len &&
            olv_trash_decode(line + used, len - (size_t)used, &out->name)) {
            out->bytes = bytes;
            out->time_s = time_s;
            return true;
        }
    }
    return false;
}

static bool time_of_info(struct olv_trash *trash, const char *item, int64_t *out)
{
    char info[NAME_MAX + 1];
    struct olv_stat stat;
    snprintf(info, sizeof info, "%.*s.trashinfo", NAME_MAX - 10, item);
    if (!olv_os_stat(trash->info, info, &stat))
        return false;
    *out = stat.modified.s;
    return true;
}

static int by_known_item(const void *a, const void *b)
{
    const struct known *x = a, *y = b;
    return strcmp(x->item, y->item);
}

static void read_known(struct olv_trash *trash, struct trash_sizes *s)
{
    struct olv_text text = {0};
    struct olv_error ignored = {0};
    struct line line = {0};
    size_t cap = 0;
    s->is_read = true;
    olv_read_file(trash->dir, NAME, LARGEST, &text, &ignored);
    for (size_t at = 0; text.len && next_line(&text, &at, &line);) {
        if (!grow(&s->known, s->known_count, &cap, sizeof *s->known))
            break;
        s->known[s->known_count] = (struct known){strdup(line.name.data), line.bytes, line.time_s};
        if (!s->known[s->known_count].item)
            break;
        s->known_count++;
    }
    if (s->known_count)
        qsort(s->known, s->known_count, sizeof *s->known, by_known_item);
    olv_text_free(&line.name);
    olv_text_free(&text);
}

uint64_t trash_sizes_find(struct olv_trash *trash, const char *item)
{
    struct trash_sizes *s = sizes_of(trash);
    const struct known key = {.item = (char *)(uintptr_t)item}, *found;
    int64_t time_s;
    if (!s)
        return 0;
    if (!s->is_read)
        read_known(trash, s);
    found = s->known_count ? bsearch(&key, s->known, s->known_count, sizeof key, by_known_item) : NULL;
    return found && time_of_info(trash, item, &time_s) && time_s == found->time_s ? found->bytes : 0;
}

/* ---- storing ---- */

static int by_item(const void *a, const void *b)
{
    const struct change *x = a, *y = b;
    return strcmp(x->item, y->item);
}

static void add_line(struct olv_text *out, uint64_t bytes, int64_t time_s, const char *item)
{
    olv_text_printf(out, "%llu %lld ", (unsigned long long)bytes, (long long)time_s);
    olv_trash_encode(out, item);
    olv_text_puts(out, "\n");
}

/* The unchanged lines, then the new ones. */
static void sizes_compose(struct olv_trash *trash, const struct olv_text *old, struct olv_text *out)
{
    struct trash_sizes *s = trash->sizes;
    struct line line = {0};
    for (size_t at = 0; old->len && next_line(old, &at, &line);) {
        const struct change key = {.item = line.name.data};
        if (!bsearch(&key, s->changes, s->count, sizeof key, by_item))
            add_line(out, line.bytes, line.time_s, line.name.data);
    }
    for (size_t i = 0; i < s->count; i++) {
        int64_t time_s;
        if (!s->changes[i].is_gone && time_of_info(trash, s->changes[i].item, &time_s))
            add_line(out, s->changes[i].bytes, time_s, s->changes[i].item);
    }
    olv_text_free(&line.name);
}

bool trash_sizes_store(struct olv_trash *trash, struct olv_error *err)
{
    struct trash_sizes *s = trash->sizes;
    struct olv_text old = {0}, fresh = {0};
    struct olv_error ignored = {0};
    bool ok;
    if (!s || s->count == 0)
        return true;
    qsort(s->changes, s->count, sizeof *s->changes, by_item);
    olv_read_file(trash->dir, NAME, LARGEST, &old, &ignored);
    sizes_compose(trash, &old, &fresh);
    ok = fresh.failed ? olv_fail_memory(err)
                      : olv_publish(trash->dir, NAME, olv_text_string(&fresh), fresh.len, err);
    for (size_t i = 0; i < s->count; i++)
        free(s->changes[i].item);
    s->count = 0;
    sizes_forget(s);
    olv_text_free(&old);
    olv_text_free(&fresh);
    return ok;
}
