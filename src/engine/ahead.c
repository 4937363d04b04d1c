/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/ahead.h"

#include "base/crew.h"
#include "os/os.h"

#include <stdio.h>
#include <stdlib.h>

/* Entries are prepared in pieces, at most two at a time: a prepared entry is half an item in the trash, and
 * should not be visible for long. */
enum { PIECE = 32, PIECES = 2, SLOTS = PIECES * PIECE, MOST_KNOWN = 16 };

struct known {
    uint64_t mount;
    struct olv_trash *trash;
};

/* Owned by the thread while it works on it. */
struct piece {
    uint64_t from;             /* number of its first entry, in the page */
    size_t count, known_count; /* entries it had; trashes known when it was given */
};

struct ahead {
    struct crew *crew; /* of one thread */
    char run[64];
    struct olv_instant now;
    struct known known[MOST_KNOWN]; /* append-only: the thread reads those of its piece */
    size_t known_count;

    /* The current page. */
    struct olv_page_reader *reader; /* the thread's; NULL: no page */
    uint64_t sequence, first;       /* in the run, and in the segment */
    bool is_small;
    struct piece pieces[PIECES];
    uint64_t given, ready;          /* entries given so far; entries prepared */
    struct ahead_made slots[SLOTS]; /* by number in the page */

    /* The thread's own. */
    struct olv_info_writer writer;
    struct olv_text path;
};

/* ---- the thread ---- */

static struct olv_trash *trash_for(const struct ahead *a, const struct piece *piece, uint64_t mount)
{
    for (size_t i = 0; i < piece->known_count; i++)
        if (a->known[i].mount == mount)
            return a->known[i].trash;
    return NULL;
}

static void ahead_prepare(struct ahead *a, const struct piece *piece, const struct olv_docket_entry *e)
{
    const struct hooks *hooks = hooks_of(e);
    uint64_t number = piece->from + piece->count;
    struct ahead_made *slot = &a->slots[number % SLOTS];
    struct ahead_turn turn = {.run = a->run,
                              .sequence = a->sequence + number + 1,
                              .now = a->now,
                              .is_small = a->is_small,
                              .trash = trash_for(a, piece, e->at.mount),
                              .writer = &a->writer,
                              .path = &a->path};
    slot->is_made = hooks && hooks->prepare_ahead && hooks->prepare_ahead(&turn, e, slot);
}

static void ahead_work(void *self, unsigned worker, void *job)
{
    struct ahead *a = self;
    struct piece *piece = job;
    struct olv_error ignored = {0};
    struct olv_docket_entry e;
    (void)worker;
    for (; piece->count < PIECE && olv_page_next(a->reader, &e, &ignored); piece->count++)
        ahead_prepare(a, piece, &e);
}

/* ---- the caller ---- */

struct ahead *ahead_new(const char *run, struct olv_instant now)
{
    struct ahead *a = olv_os_cpus() > 1 ? calloc(1, sizeof *a) : NULL;
    if (!a)
        return NULL;
    snprintf(a->run, sizeof a->run, "%s", run);
    a->now = now;
    a->crew = crew_new(1, PIECES, ahead_work, a);
    if (a->crew)
        return a;
    free(a);
    return NULL;
}

void ahead_free(struct ahead *a)
{
    if (!a)
        return;
    ahead_end(a);
    crew_free(a->crew);
    olv_info_writer_free(&a->writer);
    olv_text_free(&a->path);
    free(a);
}

void ahead_know(struct ahead *a, uint64_t mount, struct olv_trash *trash)
{
    if (!a || a->known_count == MOST_KNOWN)
        return;
    for (size_t i = 0; i < a->known_count; i++)
        if (a->known[i].mount == mount)
            return;
    a->known[a->known_count++] = (struct known){mount, trash};
}

/* All slots of the next piece are free. */
static void ahead_give(struct ahead *a)
{
    struct piece *piece = &a->pieces[a->given / PIECE % PIECES];
    *piece = (struct piece){.from = a->given, .known_count = a->known_count};
    a->given += PIECE;
    crew_give(a->crew, piece);
}

void ahead_begin(struct ahead *a, const struct olv_text *page, uint64_t sequence, bool is_small)
{
    struct olv_error ignored = {0};
    struct olv_page_head head = {0};
    if (!a)
        return;
    a->reader = olv_page_open(page, &ignored);
    if (a->reader)
        olv_page_head(page->data, &head, &ignored);
    a->is_small = is_small;
    a->sequence = sequence;
    a->first = head.first;
    a->given = a->ready = 0;
    for (int i = 0; a->reader && i < PIECES; i++)
        ahead_give(a);
}

struct ahead_made *ahead_take(struct ahead *a, uint64_t number)
{
    const struct piece *piece;
    if (!a || !a->reader)
        return NULL;
    number -= a->first;
    if (number && number % PIECE == 0) /* the piece before it has been taken */
        ahead_give(a);
    while (number >= a->ready && (piece = crew_take(a->crew)))
        a->ready = piece->from + piece->count;
    return number < a->ready ? &a->slots[number % SLOTS] : NULL;
}

void ahead_drop(struct ahead_made *prepared)
{
    if (prepared && prepared->is_made)
        olv_trash_abandon(prepared->trash, prepared->item);
    if (prepared)
        prepared->is_made = false;
}

void ahead_end(struct ahead *a)
{
    if (!a || !a->reader)
        return;
    while (crew_take(a->crew))
        ;
    olv_page_close(a->reader);
    a->reader = NULL;
    for (size_t i = 0; i < SLOTS; i++)
        ahead_drop(&a->slots[i]);
}
