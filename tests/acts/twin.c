/* SPDX-License-Identifier: Apache-2.0 */
/* twin: a proven copy of a file at the path that its step says; the file stays. `recover --run` takes it away
 * again. */
#include "act/acts.h"
#include "file/attributes.h"
#include "olvido/ledger.h"
#include "os/durable.h"
#include "os/files.h"
#include "os/os.h"
#include "source/destination.h"
#include "source/judged.h"
#include "source/proven.h"
#include "source/settling.h"

#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct twin_arguments {
    const char *to;
    int if_exists;
};

struct twinning {
    struct proven new; /* first member */
    struct fresh fresh;
    int dir; /* where it goes */
    char label[FRESH_LABEL];
    const char *name;
    uint8_t digest[OLV_SHA256_SIZE];
};

static bool copy_data(struct turn *turn, struct twinning *t, int from, struct olv_error *err)
{
    char piece[65536];
    ssize_t got;
    olv_hasher_begin(turn->scratch.hasher);
    while ((got = read(from, piece, sizeof piece)) > 0) {
        if (olv_observe_interrupted(turn->session->options.observer))
            return olv_fail(err, OLV_INTERRUPTED, "interrupted");
        olv_hasher_add(turn->scratch.hasher, piece, (size_t)got);
        if (!olv_write_all(t->fresh.fd, piece, (size_t)got))
            return olv_fail_system(err, "", "cannot write the copy");
    }
    olv_hasher_end(turn->scratch.hasher, t->digest);
    return got == 0 || olv_fail_system(err, "", "cannot read it");
}

static void make_one(struct turn *turn, struct twinning *t, const struct olv_docket_entry *e,
                     struct olv_outcome *o)
{
    struct olv_reach at;
    struct olv_stat stat;
    int from;
    olv_reach_begin(&at);
    from = olv_reach_directory(&at, e, &o->error) ? judged_open(&at, e, o) : -1;
    t->dir = from >= 0 ? destination_open(e->target, &t->name, &o->error) : -1;
    if (t->dir < 0 || !destination_is_allowed(turn, e, t->dir, t->name, o) ||
        !fresh_open(&t->fresh, t->dir, t->label, &o->error) || !copy_data(turn, t, from, &o->error) ||
        !judged_verify(from, "", e, true, o) || !olv_os_stat(from, "", &stat) ||
        !attributes_copy(from, &stat, t->fresh.fd, &o->error)) {
        if (o->result == OLV_PENDING)
            outcome_failed(o);
    }
    t->new = (struct proven){.fresh = &t->fresh, .digest = t->digest, .wanted = t->name};
    olv_text_puts(&t->new.path, e->target);
    olv_os_close(from);
    olv_reach_end(&at);
}

static bool make_group(struct turn *turn, struct group *g, struct olv_error *err)
{
    for (size_t i = 0; i < g->count; i++) {
        struct twinning *t = g->outcomes[i].result == OLV_PENDING ? calloc(1, sizeof *t) : NULL;
        g->made[i] = t;
        if (!t && g->outcomes[i].result == OLV_PENDING)
            return olv_fail_memory(err);
        if (!t)
            continue;
        t->fresh.fd = t->dir = -1;
        turn_label(t->label, turn, g->sequence + i);
        make_one(turn, t, &g->entries[i], &g->outcomes[i]);
    }
    proven_sync(g);
    proven_compare(turn, g);
    proven_record(turn, g);
    return true;
}

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct twinning *t = turn->made.here;
    if (!t || !judged_verify(turn->directory.fd, e->name, e, true, o) || !proven_publish(&t->new, e, o))
        return;
    fresh_keep(&t->fresh);
    destination_touch(turn, t->dir);
    o->result = OLV_DONE;
    o->into = olv_text_string(&t->new.path);
    o->after = NULL;
    o->digest = t->digest;
}

static void free_group(const struct group *g)
{
    for (size_t i = 0; i < g->count; i++) {
        struct twinning *t = g->made[i];
        if (!t)
            continue;
        fresh_close(&t->fresh);
        olv_os_close(t->dir);
        proven_free(&t->new);
        free(t);
    }
}

static enum olv_truth applied(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char label[FRESH_LABEL], placed[NAME_MAX + 1];
    struct settling_search s;
    const char *name;
    int dir = destination_open(e->target, &name, &o->error);
    enum olv_truth found = OLV_UNKNOWN;
    if (dir < 0)
        return OLV_UNKNOWN;
    turn_label(label, turn, turn->sequence);
    if (settling_search_for(&s, turn, e, label, name, &o->error))
        found = fresh_find(dir, &s.search, placed);
    if (found == OLV_YES) {
        fresh_settle_keep(dir, label);
        destination_note(o, &turn->scratch.placed, e->target, placed);
        o->into = o->placed;
        o->placed = NULL;
        o->result = OLV_DONE;
    }
    olv_os_close(dir);
    return found;
}

static bool target(const void *arguments, const struct olv_docket_entry *e, struct olv_text *out)
{
    const struct twin_arguments *how = arguments;
    template_expand(how->to, e->directory, e->name, out);
    return !out->failed;
}

static bool inverse(const struct olv_ledger_record *done, struct olv_inverse *out)
{
    *out =
        (struct olv_inverse){.act = olv_act_named("take-back"), .path = done->into, .original = done->path};
    return *done->into != '\0';
}

static const struct hooks hooks = {.needs = NEEDS_REGISTER,
                                   .takes_several = true,
                                   .make_group = make_group,
                                   .apply = apply,
                                   .free_group = free_group,
                                   .applied = applied};

static const struct olv_word if_exists_words[] = {{"refuse", OLV_REFUSE},   {"skip", OLV_SKIP},
                                                  {"number", OLV_NUMBER},   {"set-aside", OLV_SET_ASIDE},
                                                  {"replace", OLV_REPLACE}, {0}};

#define AT(member) offsetof(struct twin_arguments, member)
static const struct olv_key keys[] = {{.name = "to",
                                       .type = OLV_KEY_TEMPLATE,
                                       .at = AT(to),
                                       .by = OLV_BY_STEP,
                                       .is_required = true,
                                       .said_as = " to ",
                                       .about = "Where the copy goes."},
                                      {.name = "if-exists",
                                       .type = OLV_KEY_WORD,
                                       .at = AT(if_exists),
                                       .by = OLV_BY_STEP,
                                       .words = if_exists_words,
                                       .usual = "refuse",
                                       .about = "What to do if something is there."},
                                      {0}};

const struct olv_act act_twin = {.word = "twin",
                                 .past = "twinned",
                                 .wire = 61,
                                 .traits = OLV_TOUCHES | OLV_OUTLIVED | OLV_AGAIN_IF_CHANGED |
                                           OLV_AGAIN_IF_OTHERWISE | OLV_NEVER_LAPSES | OLV_SOURCE_STAYS,
                                 .keys = keys,
                                 .arguments = sizeof(struct twin_arguments),
                                 .target = target,
                                 .inverse = inverse,
                                 .hooks = &hooks};
