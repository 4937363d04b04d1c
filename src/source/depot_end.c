/* SPDX-License-Identifier: Apache-2.0 */
/* Ending, of what lies in an archive. All that a batch wants out of one archive is taken out at once, when
 * the first of it has its turn; the rest then only hears what became of it. An archive that is wholly due
 * goes as one file; else a new one without these takes its place, and the old one goes. */
#include "source/depot.h"

#include "depot/thin.h"
#include "depot/trust.h"
#include "docket/each.h"
#include "file/identity.h"
#include "file/stage.h"
#include "os/os.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct olv_thinned {
    uint64_t batch; /* in which it was taken from, and by what path; 0: in none */
    struct olv_text path;
    uint8_t archive[16];       /* its id */
    struct thin_place *places; /* what was to go; in the order of their places */
    size_t count, cap;
    struct olv_outcome outcome; /* of all of them, but of those that stay */
    char into[NAME_MAX + 1];
};

void olv_thinned_free(struct olv_thinned *t)
{
    if (!t)
        return;
    free(t->places);
    olv_text_free(&t->path);
    free(t);
}

/* ---- what is to go ---- */

struct collecting {
    struct olv_act_context *context;
    struct olv_thinned *thinned;
    uint32_t from; /* number of the entry whose turn it is: those before it had theirs, and failed */
};

/* Whether it lies in the archive at hand. */
static bool is_at(const struct olv_thinned *t, const struct olv_docket_entry *e)
{
    size_t directory = strlen(e->directory);
    const char *path = olv_text_string(&t->path);
    return strncmp(path, e->directory, directory) == 0 && path[directory] == '/' &&
           strcmp(path + directory + 1, e->name) == 0;
}

static enum olv_truth is_held(const struct olv_act_context *c, const struct olv_docket_entry *e)
{
    const struct olv_location *l = e->location;
    struct olv_stat stat = {.kind = OLV_KIND_FILE, .size_bytes = l->size_bytes, .modified = l->modified};
    return c->holds ? c->holds->is_held(c->holds->self, e->target, &stat) : OLV_NO;
}

static bool collect(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct collecting *x = self;
    struct olv_thinned *t = x->thinned;
    const struct olv_location *l = e->location;
    enum olv_truth held;
    if (!l || hooks_of(e) != &depot_ending || e->number < x->from || !is_at(t, e))
        return true;
    if (memcmp(l->archive, t->archive, sizeof t->archive) != 0)
        return true;
    held = is_held(x->context, e);
    if (held == OLV_UNKNOWN)
        return olv_fail(err, OLV_SYSTEM, "cannot find out whether all of it may go, or some is held");
    if (held == OLV_YES)
        return true;
    if (t->count == t->cap) {
        size_t cap = t->cap ? 2 * t->cap : 1024;
        struct thin_place *grown = realloc(t->places, cap * sizeof *grown);
        if (!grown)
            return olv_fail_memory(err);
        t->places = grown;
        t->cap = cap;
    }
    t->places[t->count++] = (struct thin_place){l->begins, l->within, false};
    return true;
}

static int by_place(const void *a, const void *b)
{
    const struct thin_place *x = a, *y = b;
    if (x->begins != y->begins)
        return x->begins < y->begins ? -1 : 1;
    return x->within < y->within ? -1 : x->within > y->within;
}

/* ---- taking it out ---- */

static const char STAYS[] = "its archive stays for now, and every run tries again to remove it";

/* The old archive is `going`: its row is forgotten when the file is gone for good. Should it not go, any
 * later run tries again. */
static bool remove_old(struct olv_act_context *c, const struct olv_docket_entry *e, const char *label,
                       int64_t row, struct olv_outcome *o)
{
    struct olv_error ignored = {0}; /* then a later run forgets it */
    if (!olv_act_remove(c, &c->source, e, label, true, o)) {
        struct olv_error why = o->error;
        olv_fail(&o->error, OLV_SYSTEM, "%s%s%.100s", STAYS, why.sys ? "" : ": ", why.sys ? "" : why.what);
        o->error.sys = why.sys;
        o->result = OLV_FAILED;
        return false;
    }
    if (fsync(c->source.fd) == 0)
        catalogue_forget(c->catalogue, row, &ignored);
    return true;
}

static bool thin(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_thinned *t)
{
    struct olv_outcome *o = &t->outcome;
    struct collecting x = {c, t, e->number};
    struct thin_options options = {.catalogue = c->catalogue,
                                   .dir = c->source.fd,
                                   .depot_path = e->directory,
                                   .name = e->name,
                                   .run = c->run,
                                   .id = t->archive,
                                   .observer = c->observer};
    char label[FRESH_LABEL];
    int64_t row = 0;
    olv_act_label(label, c, c->sequence);
    options.label = label;
    if (!c->catalogue)
        return olv_fail(&o->error, OLV_STATE, "the catalogue of depots cannot be opened");
    if (!depot_is_trusted(e->directory, c->source.fd, &o->error) ||
        !olv_act_verify(c->source.fd, e->name, e, true, o) ||
        !olv_segment_each(c->segment, collect, &x, &o->error))
        return false;
    qsort(t->places, t->count, sizeof *t->places, by_place);
    options.gone = t->places;
    options.count = t->count;
    return thin_archive(&options, t->into, &row, &o->error) && remove_old(c, e, label, row, o);
}

static bool is_thinned(const struct olv_act_context *c, const struct olv_docket_entry *e)
{
    return c->thinned && c->thinned->batch == c->batch && is_at(c->thinned, e);
}

static bool begin(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct olv_thinned *t = c->thinned ? c->thinned : calloc(1, sizeof *t);
    c->thinned = t;
    if (!t) {
        olv_fail_memory(&o->error);
        olv_act_unsuccessful(o);
        return false;
    }
    olv_text_clear(&t->path);
    olv_docket_entry_path(e, &t->path);
    memcpy(t->archive, e->location->archive, sizeof t->archive);
    t->batch = c->batch;
    t->count = 0;
    t->outcome = (struct olv_outcome){0};
    t->into[0] = '\0';
    if (t->path.failed)
        olv_fail_memory(&t->outcome.error);
    if (!t->path.failed && thin(c, e, t))
        t->outcome.result = OLV_DONE;
    else if (t->outcome.result == OLV_PENDING)
        olv_act_unsuccessful(&t->outcome);
    return true;
}

static void apply(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    const struct thin_place *place;
    struct thin_place wanted = {e->location->begins, e->location->within, false};
    if (!is_thinned(c, e) && !begin(c, e, o))
        return;
    o->result = c->thinned->outcome.result;
    o->error = c->thinned->outcome.error;
    if (o->result != OLV_DONE)
        return;
    place = bsearch(&wanted, c->thinned->places, c->thinned->count, sizeof wanted, by_place);
    if (!place || place->stays) {
        olv_fail(&o->error, OLV_REFUSED,
                 place ? "another name of it (a hard link) stays in the archive" : "it is held");
        o->result = OLV_LEFT;
    } else if (e->location->has_digest) {
        memcpy(c->digest, e->location->digest, sizeof c->digest);
        o->digest = c->digest;
    }
}

/* The catalogue is what tells, by the archive's own id: it is live and nothing was taken out of it, or it has
 * gone. What is `going` was tried again when this run began. */
static enum olv_truth settle_entry(struct olv_act_context *c, const struct olv_docket_entry *e,
                                   struct olv_outcome *o)
{
    enum olv_archive_state state;
    char label[FRESH_LABEL];
    olv_act_label(label, c, c->sequence);
    stage_settle(c->source.fd, e->name, label, &e->identity, c->observer);
    if (!c->catalogue)
        return OLV_UNKNOWN;
    o->result = OLV_DONE;
    if (!catalogue_find_state(c->catalogue, e->location->archive, &state, &o->error))
        return o->error.code == OLV_OK ? OLV_YES : OLV_UNKNOWN;
    if (state != OLV_ARCHIVE_GOING)
        return OLV_NO;
    olv_fail(&o->error, OLV_SYSTEM, STAYS);
    o->result = OLV_FAILED;
    return OLV_YES;
}

static void batch_key(const struct olv_docket_entry *e, struct olv_text *out)
{
    olv_docket_entry_path(e, out);
}

const struct hooks depot_ending = {.needs = NEEDS_CATALOGUE | NEEDS_PLACE | ASKS_ITSELF,
                                   .apply = apply,
                                   .is_decided = is_thinned,
                                   .batch_key = batch_key,
                                   .settle_entry = settle_entry};
