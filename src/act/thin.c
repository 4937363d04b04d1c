/* SPDX-License-Identifier: Apache-2.0 */
/* delete, of what lies in an archive. All that a batch wants out of one archive is taken out at once, when
 * the first of it has its turn; the rest then only hears what became of it. An archive that is wholly due
 * goes as one file; else a new one without these takes its place, and the old one goes. */
#include "act/act.h"

#include "depot/thin.h"
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
    uint64_t archive;               /* inode of the one that was taken from last; 0: none */
    const struct olv_text *segment; /* for which batch */
    struct thin_place *places;      /* what was to go; in the order of their places */
    size_t count, cap;
    struct olv_outcome outcome; /* of all of them, but of those that stay */
    char into[NAME_MAX + 1];
};

void olv_thinned_free(struct olv_thinned *t)
{
    if (!t)
        return;
    free(t->places);
    free(t);
}

/* ---- what is to go ---- */

struct collecting {
    struct olv_act_context *context;
    struct olv_thinned *thinned;
};

static bool is_held(const struct olv_act_context *c, const struct olv_docket_entry *e,
                    const struct olv_how *how)
{
    struct olv_stat stat = {.kind = OLV_KIND_FILE, .size_bytes = how->most_bytes, .modified = how->modified};
    return c->holds && c->holds->is_held(c->holds->self, e->target, &stat) != OLV_NO;
}

static bool collect(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct collecting *x = self;
    struct olv_thinned *t = x->thinned;
    struct olv_how how;
    if (e->act != OLV_ACT_THIN || e->identity.inode != t->archive)
        return true;
    if (!olv_how_get(e->how, &how) || !how.is_member)
        return olv_fail(err, OLV_BROKEN, "the docket does not say where in the archive it is");
    if (is_held(x->context, e, &how))
        return true;
    if (t->count == t->cap) {
        size_t cap = t->cap ? 2 * t->cap : 1024;
        struct thin_place *grown = realloc(t->places, cap * sizeof *grown);
        if (!grown)
            return olv_fail_memory(err);
        t->places = grown;
        t->cap = cap;
    }
    t->places[t->count++] = (struct thin_place){how.begins, how.within, false};
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

static bool thin(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_thinned *t)
{
    struct olv_outcome *o = &t->outcome;
    struct collecting x = {c, t};
    struct thin_options options = {.catalogue = c->catalogue,
                                   .dir = c->source.fd,
                                   .depot_path = e->directory,
                                   .name = e->name,
                                   .run = c->run,
                                   .notes = c->notes,
                                   .observer = c->observer};
    char label[FRESH_LABEL];
    olv_act_label(label, c->run, c->sequence);
    options.label = label;
    if (!c->catalogue)
        return olv_fail(&o->error, OLV_STATE, "the catalogue of depots cannot be opened");
    if (!olv_act_verify(c->source.fd, e->name, e, true, o) ||
        !olv_segment_each(c->segment, collect, &x, &o->error))
        return false;
    qsort(t->places, t->count, sizeof *t->places, by_place);
    options.gone = t->places;
    options.count = t->count;
    if (!thin_archive(&options, t->into, &o->error))
        return false;
    if (olv_act_remove(&c->source, e, label, true, o))
        return true;
    o->result = OLV_FAILED; /* the catalogue does not know the archive any more, but it is there */
    return false;
}

static bool is_thinned(const struct olv_act_context *c, const struct olv_docket_entry *e)
{
    return c->thinned && c->thinned->archive == e->identity.inode && c->thinned->segment == c->segment;
}

static bool begin(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct olv_thinned *t = c->thinned ? c->thinned : calloc(1, sizeof *t);
    if (!t) {
        olv_fail_memory(&o->error);
        olv_act_unsuccessful(o);
        return false;
    }
    c->thinned = t;
    t->archive = e->identity.inode;
    t->segment = c->segment;
    t->count = 0;
    t->outcome = (struct olv_outcome){0};
    t->into[0] = '\0';
    if (thin(c, e, t))
        t->outcome.result = OLV_DONE;
    else if (t->outcome.result == OLV_UNDECIDED)
        olv_act_unsuccessful(&t->outcome);
    return true;
}

static void apply(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    const struct thin_place *place;
    struct thin_place wanted = {0};
    struct olv_how how;
    if (!is_thinned(c, e) && !begin(c, e, o))
        return;
    o->result = c->thinned->outcome.result;
    o->error = c->thinned->outcome.error;
    if (o->result != OLV_DONE || !olv_how_get(e->how, &how))
        return;
    wanted.begins = how.begins;
    wanted.within = how.within;
    place = bsearch(&wanted, c->thinned->places, c->thinned->count, sizeof wanted, by_place);
    if (!place || place->stays) {
        olv_fail(&o->error, OLV_REFUSED,
                 place ? "another name of it (a hard link) stays in the archive" : "it is held");
        o->result = OLV_LEFT;
    } else if (how.has_digest) {
        memcpy(c->digest, how.digest, sizeof c->digest);
        o->digest = c->digest;
    }
}

/* The catalogue is what tells: once it does not know the archive, the file goes, if it has not gone yet. */
static bool was_applied(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct catalogue_known known;
    struct olv_stat stat;
    char label[FRESH_LABEL];
    olv_act_label(label, c->run, c->sequence);
    stage_settle(c->source.fd, e->name, label);
    if (!c->catalogue || !catalogue_find_archive(c->catalogue, e->directory, e->name, &known, &o->error) ||
        known.id)
        return false;
    if (olv_os_stat(c->source.fd, e->name, &stat) && olv_identity_survived(&e->identity, &stat))
        unlinkat(c->source.fd, e->name, 0);
    o->result = OLV_DONE;
    return true;
}

const struct olv_act olv_act_thin = {
    .id = OLV_ACT_THIN,
    .result = "done",
    .is_touching = true,
    .apply = apply,
    .is_decided = is_thinned,
    .was_applied = was_applied,
};
