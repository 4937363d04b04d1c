/* SPDX-License-Identifier: Apache-2.0 */
/* Removes members from archives. When the first entry of an archive has its turn, everything that the batch
 * removes from it goes at once; the other entries only get that outcome. An archive with nothing left is
 * removed as a file; otherwise a new one without these members replaces it, and the old one is removed. */
#include "source/depot_ways.h"

#include "base/grow.h"
#include "depot/catalogue.h"
#include "depot/thin.h"
#include "depot/trust.h"
#include "file/identity.h"
#include "os/os.h"
#include "source/asking.h"
#include "source/ending.h"
#include "source/judged.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* The archive last rewritten. */
struct thinned {
    uint8_t archive[16];          /* its id */
    struct thin_position *places; /* what to remove, ordered by position */
    size_t count, cap;
    struct olv_outcome outcome; /* for all of them, except those that stay */
    char into[NAME_MAX + 1];
    struct olv_text manner; /* of its ending */
};

static void depot_end_close_state(void *state)
{
    struct thinned *t = state;
    if (t) {
        free(t->places);
        olv_text_free(&t->manner);
    }
    free(t);
}

/* ---- what is to go ---- */

struct collecting {
    struct turn *turn;
    struct thinned *thinned;
};

static bool depot_end_collect(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct collecting *x = self;
    struct thinned *t = x->thinned;
    const struct olv_location *l = e->location;
    struct olv_outcome asked = {0};
    if (memcmp(l->archive, t->archive, sizeof t->archive) != 0)
        return true;
    if (!ask_about(x->turn, &x->turn->directory, e, false, &asked)) {
        if (asked.result == OLV_FAILED)
            *err = asked.error;
        return asked.result == OLV_LEFT; /* then it stays in the archive */
    }
    if (!grow(&t->places, t->count, &t->cap, sizeof *t->places))
        return olv_fail_memory(err);
    t->places[t->count++] = (struct thin_position){l->begins, l->within, false};
    return true;
}

static int by_position(const void *a, const void *b)
{
    const struct thin_position *x = a, *y = b;
    if (x->begins != y->begins)
        return x->begins < y->begins ? -1 : 1;
    return x->within < y->within ? -1 : x->within > y->within;
}

/* ---- taking it out ---- */

static const char STAYS[] = "its archive stays for now, and every run retries removing it";

/* The old archive is `going`: its row is deleted when its file is gone for good. If it cannot be removed, any
 * later run tries again. */
static bool remove_old(struct turn *turn, const struct olv_docket_entry *e, int64_t row,
                       struct olv_outcome *o)
{
    struct olv_error ignored = {0}; /* then a later run deletes the row */
    if (!ending_end(turn, &turn->directory, e, o)) {
        struct olv_error why = o->error;
        olv_fail(&o->error, OLV_SYSTEM, "%s%s%.100s", STAYS, why.sys ? "" : ": ", why.sys ? "" : why.what);
        o->error.sys = why.sys;
        o->result = OLV_FAILED;
        return false;
    }
    if (fsync(turn->directory.fd) == 0)
        catalogue_forget(turn->session->catalogue, row, &ignored);
    return true;
}

static bool thin(struct turn *turn, struct group *group, struct thinned *t)
{
    const struct olv_docket_entry *e = &group->entries[0];
    struct olv_outcome *o = &t->outcome;
    struct collecting x = {turn, t};
    struct thin_options options = {.catalogue = turn->session->catalogue,
                                   .dir = turn->directory.fd,
                                   .depot_path = e->directory,
                                   .name = e->name,
                                   .run = turn->run.id,
                                   .id = t->archive,
                                   .observer = turn->session->options.observer};
    char label[FRESH_LABEL];
    int64_t row = 0;
    turn_label(label, turn, turn->sequence);
    options.label = label;
    ending_put_manner(e, &t->manner);
    options.manner = t->manner;
    if (t->manner.failed)
        return olv_fail_memory(&o->error);
    if (!turn->session->catalogue)
        return olv_fail(&o->error, OLV_STATE, "the catalogue of depots cannot be opened");
    if (!depot_is_trusted(e->directory, turn->directory.fd, &o->error) ||
        !judged_verify(turn->directory.fd, e->name, e, true, o) ||
        !group->each(group, OLV_SEGMENT_MOST, depot_end_collect, &x, &o->error))
        return false;
    qsort(t->places, t->count, sizeof *t->places, by_position);
    options.gone = t->places;
    options.count = t->count;
    return thin_archive(&options, t->into, &row, &o->error) && remove_old(turn, e, row, o);
}

/* On failure, all entries fail. */
static bool depot_end_make(struct turn *turn, struct group *group, struct olv_error *err)
{
    const struct olv_docket_entry *e = &group->entries[0];
    struct thinned *t = turn_state(turn, sizeof *t);
    struct olv_outcome *o;
    if (!t)
        return olv_fail_memory(err);
    o = &t->outcome;
    memcpy(t->archive, e->location->archive, sizeof t->archive);
    t->count = 0;
    t->into[0] = '\0';
    outcome_begin(o);
    group->is_bound = true;
    if (!olv_reach_directory(&turn->directory, e, &o->error)) {
        source_unreached(e, o);
    } else if (thin(turn, group, t)) {
        o->result = OLV_DONE;
    } else if (o->result == OLV_PENDING) {
        outcome_failed(o);
    }
    return true;
}

static void depot_end_apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    const struct thinned *t = *turn->own.state;
    const struct thin_position *place;
    struct thin_position wanted = {e->location->begins, e->location->within, false};
    o->result = t->outcome.result;
    o->error = t->outcome.error;
    if (o->result != OLV_DONE)
        return;
    place = bsearch(&wanted, t->places, t->count, sizeof wanted, by_position);
    if (!place || place->stays) {
        olv_fail(&o->error, OLV_REFUSED,
                 place ? "another name of it (a hard link) stays in the archive" : "it is held");
        o->result = OLV_LEFT;
    } else if (e->location->has_digest) {
        memcpy(turn->scratch.digest, e->location->digest, sizeof turn->scratch.digest);
        o->digest = turn->scratch.digest;
    }
}

/* An archive that was taken aside is back before those that are to go are tried again. */
static void depot_end_look(struct turn *turn, const struct olv_docket_entry *e, bool is_reached)
{
    if (is_reached)
        ending_settle(turn, e);
}

/* The catalogue tells by the archive's own id: either it is live with nothing removed, or it is gone.
 * Archives `going` were retried when this run began. */
static enum olv_truth depot_end_applied(struct turn *turn, const struct olv_docket_entry *e,
                                        struct olv_outcome *o)
{
    enum olv_archive_state state;
    if (!turn->session->catalogue)
        return OLV_UNKNOWN;
    o->result = OLV_DONE;
    if (!catalogue_find_state(turn->session->catalogue, e->location->archive, &state, &o->error))
        return o->error.code == OLV_OK ? OLV_YES : OLV_UNKNOWN;
    if (state != OLV_ARCHIVE_GOING)
        return OLV_NO;
    olv_fail(&o->error, OLV_SYSTEM, STAYS);
    o->result = OLV_FAILED;
    return OLV_YES;
}

static void depot_end_key(const struct olv_docket_entry *e, struct olv_text *out)
{
    olv_docket_entry_path(e, out);
}

static bool is_one_batch(const struct olv_docket_entry *e)
{
    (void)e;
    return true; /* the archive is rewritten once for all of them */
}

const struct hooks depot_ending = {.needs = NEEDS_CATALOGUE | REACHES_ITSELF | ASKS_ITSELF,
                                   .group_key = depot_end_key,
                                   .is_one_batch = is_one_batch,
                                   .make_group = depot_end_make,
                                   .apply = depot_end_apply,
                                   .free_state = depot_end_close_state,
                                   .look = depot_end_look,
                                   .applied = depot_end_applied};
