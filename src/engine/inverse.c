/* SPDX-License-Identifier: Apache-2.0 */
/* What takes the acts of an earlier run back, as a docket. */
#include "engine/run.h"
#include "file/identity.h"
#include "keys/keys.h"
#include "olvido/ledger.h"
#include "olvido/path.h"
#include "olvido/session.h"
#include "olvido/sorter.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

struct segment_reading;

struct inverting {
    const struct olv_session *session;
    struct olv_composing composing;
    void (*each)(void *self, const struct olv_inverse *inverse, const struct olv_stat *stat);
    void *self;
    struct segment_reading *segment;
    struct olv_sorter *remakings; /* path, act and arguments of what is made again */
    struct olv_error error;
};

/* What is gone cannot be taken back, and need not; what cannot be looked at is said. */
static bool compose(struct inverting *x, const struct olv_inverse *inverse)
{
    char *directory = olv_path_directory(inverse->path);
    struct olv_docket_entry e = {.rule = OLV_BY_HAND,
                                 .rule_name = "",
                                 .act = inverse->act,
                                 .directory = directory,
                                 .name = olv_path_name(inverse->path),
                                 .target = inverse->original,
                                 .arguments = inverse->arguments};
    struct olv_stat dir, stat;
    int fd = directory ? olv_os_open_path(directory) : -1;
    bool ok = directory || olv_fail_memory(&x->error);
    if (ok && (fd < 0 || !olv_os_stat(fd, "", &dir) || !olv_os_stat(fd, e.name, &stat))) {
        if (!olv_os_is_absent(errno))
            olv_observe_unreadable(x->session->options.observer, inverse->path, "looking at it", errno);
    } else if (ok) {
        e.identity = olv_identity_of(&stat);
        e.at = olv_directory_id_of(&dir);
        e.links = stat.links;
        e.due = stat.modified;
        x->each(x->self, inverse, &stat);
        ok = !x->composing.spool || olv_compose_add(&x->composing, &e, &x->error);
    }
    olv_os_close(fd);
    free(directory);
    return ok;
}

/* ---- what is made again ---- */

/* The docket of the batch that is looked into: outcomes come in the order of entries. */
struct segment_reading {
    uint64_t batch; /* 0: none is open */
    int fd;
    uint64_t at;
    struct olv_text page;
    struct olv_page_reader *reader;
    struct olv_docket_entry entry;
    bool has_entry;
};

static void segment_close(struct segment_reading *s)
{
    olv_page_close(s->reader);
    olv_os_close(s->fd);
    s->reader = NULL;
    s->fd = -1;
    s->batch = 0;
    s->has_entry = false;
}

static bool segment_open(struct inverting *x, const char *run, uint64_t batch)
{
    struct segment_reading *s = x->segment;
    char name[32], path[PATH_MAX];
    segment_close(s);
    run_segment_name(name, batch);
    snprintf(path, sizeof path, "%.3900s/runs/%.63s/%s", x->session->options.state, run, name);
    s->fd = open(path, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    s->at = 0;
    s->batch = batch;
    return s->fd >= 0 || olv_fail_system(&x->error, path, "cannot open the docket of that run");
}

/* The next entry of the segment; false at its end, or with an error. */
static bool segment_next(struct inverting *x)
{
    struct segment_reading *s = x->segment;
    while (!s->reader || !olv_page_next(s->reader, &s->entry, &x->error)) {
        olv_page_close(s->reader);
        s->reader = NULL;
        if (x->error.code != OLV_OK || !olv_page_read(s->fd, s->at, &s->page, &x->error))
            return false;
        s->at += s->page.len;
        s->reader = olv_page_open(&s->page, &x->error);
        if (!s->reader)
            return false;
    }
    return s->has_entry = true;
}

/* The entry that the outcome is about; NULL with an error. */
static const struct olv_docket_entry *find_entry(struct inverting *x, const struct olv_ledger_record *r)
{
    struct segment_reading *s = x->segment;
    bool is_behind = s->batch == r->batch && s->has_entry && s->entry.number > r->entry;
    if ((s->batch != r->batch || is_behind) && !segment_open(x, r->run, r->batch))
        return NULL;
    while (!s->has_entry || s->entry.number != r->entry)
        if (!segment_next(x)) {
            if (x->error.code == OLV_OK)
                olv_fail(&x->error, OLV_BROKEN, "the docket of that run lacks a decision of its ledger");
            return NULL;
        }
    return &s->entry;
}

/* Sorted by path: what is above comes first. */
static bool note_remaking(struct inverting *x, const struct olv_ledger_record *r,
                          const struct olv_inverse *inverse)
{
    const struct olv_docket_entry *e = find_entry(x, r);
    struct olv_text record = {0};
    bool ok;
    if (!e)
        return false;
    olv_text_add(&record, inverse->path, strlen(inverse->path) + 1);
    wire_put(&record, inverse->act->wire, 1);
    keys_put(inverse->act, e->arguments, &record);
    ok = record.failed
             ? olv_fail_memory(&x->error)
             : olv_sorter_add(x->remakings, (struct olv_sorted){{0, 0}, record.data, record.len}, &x->error);
    olv_text_free(&record);
    return ok;
}

/* The entry lies where the way to it ends today: the nearest directory that is there. */
static bool compose_remaking(struct inverting *x, const char *path, const struct olv_act *act,
                             const void *arguments)
{
    struct olv_inverse inverse = {.act = act, .path = path, .original = "", .makes_it = true};
    struct olv_docket_entry e = {.rule = OLV_BY_HAND,
                                 .rule_name = "",
                                 .act = act,
                                 .target = path,
                                 .arguments = arguments,
                                 .identity = {.kind = OLV_KIND_DIRECTORY}};
    char *name = strdup(path), *directory = olv_path_directory(path);
    struct olv_stat stat = {.kind = OLV_KIND_DIRECTORY}, dir;
    bool ok = (name && directory) || olv_fail_memory(&x->error);
    int fd = -1;
    while (ok && (fd = olv_os_open_path(directory)) < 0 && olv_os_is_absent(errno) && directory[1]) {
        olv_path_cut(name);
        olv_path_cut(directory);
    }
    if (ok && (fd < 0 || !olv_os_stat(fd, "", &dir))) {
        olv_observe_unreadable(x->session->options.observer, path, "looking for its directory", errno);
    } else if (ok && !(strcmp(name, path) == 0 && olv_os_stat(fd, olv_path_name(path), &stat))) {
        e.directory = directory;
        e.name = olv_path_name(name);
        e.at = olv_directory_id_of(&dir);
        x->each(x->self, &inverse, &stat);
        ok = !x->composing.spool || olv_compose_add(&x->composing, &e, &x->error);
    }
    olv_os_close(fd);
    free(name);
    free(directory);
    return ok;
}

static bool compose_remakings(struct inverting *x)
{
    struct olv_sorted record;
    bool ok = true;
    while (ok && olv_sorter_next(x->remakings, &record, &x->error)) {
        const char *path = record.bytes;
        size_t at = strlen(path) + 1;
        struct olv_arena arena = {0};
        struct wire wire = {.bytes = (const uint8_t *)path, .len = record.len, .at = at, .arena = &arena};
        const struct olv_act *act = olv_act_of_wire((uint8_t)wire_get(&wire, 1));
        const void *arguments = act ? keys_get(act, &wire) : NULL;
        ok = arguments ? compose_remaking(x, path, act, arguments) : olv_fail_memory(&x->error);
        olv_arena_free(&arena);
    }
    return ok && x->error.code == OLV_OK;
}

/* ---- all of a run ---- */

static bool invert(void *self, const struct olv_ledger_record *r)
{
    struct inverting *x = self;
    const struct olv_act *act = olv_act_named(r->act);
    struct olv_inverse inverse;
    if (!act || !act->inverse || strcmp(r->result, "done") != 0 || !act->inverse(r, &inverse))
        return true;
    return inverse.makes_it ? note_remaking(x, r, &inverse) : compose(x, &inverse);
}

bool olv_session_take_back(const struct olv_session *session, const char *run, struct olv_spool *docket,
                           void (*each)(void *self, const struct olv_inverse *inverse,
                                        const struct olv_stat *stat),
                           void *self, struct olv_error *err)
{
    struct segment_reading segment = {.fd = -1};
    struct inverting x = {.session = session,
                          .each = each,
                          .self = self,
                          .segment = &segment,
                          .remakings = olv_sorter_new(err)};
    const struct olv_ledger_query query = {.kind = "outcome", .run = run};
    bool ok = x.remakings != NULL;
    olv_compose_begin(&x.composing, docket, NULL);
    ok = ok && (olv_ledger_search(session->options.state, &query, invert, &x, err) || err->sys == ENOENT);
    if (ok)
        *err = x.error;
    ok = ok && x.error.code == OLV_OK && (compose_remakings(&x) || (*err = x.error, false)) &&
         (!docket || olv_compose_end(&x.composing, err));
    segment_close(&segment);
    olv_text_free(&segment.page);
    olv_sorter_free(x.remakings);
    olv_compose_abandon(&x.composing);
    return ok;
}
