/* SPDX-License-Identifier: Apache-2.0 */
/* protect: sets one level of a file or directory, on its descriptor. That it was not so before, and which
 * mode it had, is in the register before the first change of the batch; a row of what was not set after all
 * goes.
 */
#include "act/protect.h"

#include "act/acts.h"
#include "file/identity.h"
#include "file/protection.h"
#include "file/touched.h"
#include "olvido/ledger.h"
#include "os/files.h"
#include "os/flags.h"
#include "os/os.h"
#include "source/asking.h"
#include "source/judged.h"
#include "source/records.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

struct protect_arguments {
    int level; /* enum olv_protection */
    bool open_too;
};

/* ---- shared ---- */

int protect_open(const struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    int fd = protection_open(turn->directory.fd, e->name, &o->error);
    if (fd >= 0 && judged_verify(fd, "", e, true, o))
        return fd;
    olv_os_close(fd);
    if (o->result != OLV_PENDING)
        return -1;
    if (o->error.sys == ENOENT)
        olv_error_as(&o->error, OLV_CHANGED);
    outcome_failed(o);
    if (o->error.code == OLV_REFUSED)
        o->result = OLV_LEFT;
    return -1;
}

bool protect_is_alone(const struct olv_docket_entry *e)
{
    return e->identity.kind == OLV_KIND_DIRECTORY || e->links > 1;
}

void protect_mark(const struct turn *turn, int fd, struct olv_outcome *o)
{
    struct olv_stat stat = {0};
    if (turn->run.is_small && fsync(fd) != 0) {
        olv_fail_system(&o->error, "", "cannot sync what was changed");
        outcome_failed(o);
    }
    o->mark.is_made = olv_os_stat(fd, "", &stat);
    o->mark.inode = stat.inode;
    o->mark.has_born = stat.has_born;
    o->mark.born = stat.born;
    o->mark.changed = stat.changed;
}

void protect_sync(struct turn *turn, const struct group *g)
{
    struct olv_error err = {0};
    uint64_t device = 0;
    for (size_t i = 0; i < g->count && !turn->run.is_small; i++) {
        const struct olv_docket_entry *e = &g->entries[i];
        struct olv_outcome *o = &g->outcomes[i];
        int fd;
        if (o->result != OLV_DONE || (err.code == OLV_OK && device && e->at.device == device))
            continue;
        fd = olv_os_open_path(e->directory);
        device = e->at.device;
        olv_error_clear(&err);
        if (fd < 0)
            olv_fail_system(&err, e->directory, "cannot open its directory again");
        if (fd < 0 || !touched_add_system(turn->run.touched, fd, device, &err)) {
            o->error = err;
            o->result = OLV_FAILED;
        }
        olv_os_close(fd);
    }
}

/* ---- who writes ---- */

/* Writers that were seen. */
struct writers {
    bool all_append;
    char who[96]; /* the first that does not append, or else the first */
};

static bool note_writer(void *self, const struct olv_os_writer *w)
{
    struct writers *all = self;
    if (!*all->who || (all->all_append && !w->appends))
        snprintf(all->who, sizeof all->who, "%.60s (process %lld)", w->program, (long long)w->process);
    all->all_append &= w->appends;
    return true;
}

static void open_elsewhere(struct olv_outcome *o, const char *what, const struct writers *w)
{
    olv_fail(&o->error, OLV_REFUSED, "%s%s%s", what, *w->who ? ": " : "", w->who);
    o->result = OLV_LEFT;
}

/* Logs stay with who writes them, as long as that only appends. */
static bool may_append(const struct turn *turn, const struct protect_arguments *how, int fd,
                       struct olv_outcome *o)
{
    struct writers writers = {.all_append = true};
    struct olv_stat stat;
    bool is_seen =
        olv_os_stat(fd, "", &stat) && olv_os_each_writer(stat.device, stat.inode, note_writer, &writers);
    if (is_seen && *writers.who && writers.all_append)
        return true;
    if (how->open_too || !turn->ending.asks_open) {
        outcome_remark(o, "it is open for writing, and what has it open goes on writing as before");
        return true;
    }
    open_elsewhere(o,
                   writers.all_append ? "somebody who cannot be seen has it open or mapped for writing"
                                      : "it is open for writing without appending",
                   &writers);
    return false;
}

/* A lease sees descriptors and maps. One that is refused is never overridden: what has the file open would go
 * on writing, or be ended. */
static bool is_unused(const struct turn *turn, const struct olv_docket_entry *e, int fd,
                      struct olv_outcome *o)
{
    const struct protect_arguments *how = e->arguments;
    struct writers writers = {.all_append = true};
    struct olv_stat stat;
    bool may_be_open = how->open_too || !turn->ending.asks_open;
    enum olv_truth is_watched;
    if (e->identity.kind != OLV_KIND_FILE || (how->level == OLV_READONLY && may_be_open))
        return true;
    is_watched = olv_os_watch(fd);
    if (is_watched == OLV_UNKNOWN && how->level != OLV_READONLY)
        outcome_remark(o, "the system does not tell whether it is open for writing");
    else if (is_watched == OLV_YES && how->level != OLV_READONLY && olv_os_hides_maps(fd))
        outcome_remark(o, "on an overlay nobody can tell whether it is mapped for writing");
    if (is_watched != OLV_NO)
        return true;
    if (how->level == OLV_APPEND_ONLY)
        return may_append(turn, how, fd, o);
    if (olv_os_stat(fd, "", &stat))
        olv_os_each_writer(stat.device, stat.inode, note_writer, &writers);
    open_elsewhere(o, "it is open or mapped for writing", &writers);
    return false;
}

/* ---- before the first change ---- */

/* The row of this entry; false without memory. */
static bool row_of(struct turn *turn, const struct olv_docket_entry *e, struct olv_protected *row)
{
    const struct protect_arguments *how = e->arguments;
    bool ok = protection_key(e, &turn->scratch.path, row);
    row->rule = e->rule_name;
    row->run = turn->run.id;
    row->level = (enum olv_protection)how->level;
    return ok;
}

struct standing {
    const struct olv_protected *new;
    bool is_ours;  /* Olvido set the level */
    bool is_known; /* for the same rule, or a person */
    uint32_t mode; /* write permissions that it took away */
};

static void note_standing(void *self, const struct olv_protected *row)
{
    struct standing *s = self;
    if (row->level != s->new->level)
        return;
    s->is_ours |= !row->was_so;
    s->is_known |= strcmp(row->rule, s->new->rule) == 0;
    s->mode |= row->was_so ? 0 : row->mode & 0222;
}

/* What it was before Olvido, of a file that Olvido protects already: levels stack. One that the same rule set
 * needs no second row. */
static bool note_row(struct turn *turn, const struct olv_stat *stat, struct olv_protected *row,
                     struct olv_error *err)
{
    struct standing standing = {.new = row};
    row->was_so = olv_protection_of(stat) & row->level;
    if (row->was_so && recorded_protection(turn, row, note_standing, &standing, err) == OLV_UNKNOWN)
        return false;
    row->was_so &= !standing.is_ours;
    row->mode |= standing.mode;
    return standing.is_known || record_protection(turn, row, err);
}

/* Of one that has changed, or cannot be looked at, nothing is noted; then nothing is set in its turn. */
static bool announce(struct turn *turn, const struct olv_docket_entry *e, struct olv_error *err)
{
    struct olv_docket_entry now = *e;
    struct olv_protected row;
    struct olv_error ignored = {0};
    struct olv_stat stat;
    enum olv_truth has_list = OLV_NO;
    if (!olv_reach_directory(&turn->directory, e, &ignored))
        return true;
    own_change_follow(turn, turn->directory.fd, &now);
    if (!olv_os_stat(turn->directory.fd, e->name, &stat) ||
        olv_instant_compare(stat.changed, now.identity.changed) != 0 || stat.inode != e->identity.inode)
        return true;
    if (!row_of(turn, e, &row))
        return olv_fail_memory(err);
    row.since = turn->run.now;
    row.mode = stat.mode;
    if (row.level == OLV_READONLY)
        has_list = protection_has_list(turn->directory.fd, e->name);
    if (has_list == OLV_UNKNOWN)
        return true;
    row.has_list = has_list == OLV_YES;
    return note_row(turn, &stat, &row, err);
}

/* ---- in its turn ---- */

/* No level is set without its row. */
static bool is_noted(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct olv_protected row;
    struct standing standing = {.new = &row};
    if (!row_of(turn, e, &row))
        return olv_fail_memory(&o->error);
    return recorded_protection(turn, &row, note_standing, &standing, &o->error) != OLV_UNKNOWN &&
           (standing.is_known ||
            olv_fail(&o->error, OLV_SYSTEM, "it could not be noted beforehand, so it stays as it was"));
}

static void remark_links(const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char what[80];
    if (!judged_has_twins(e))
        return;
    snprintf(what, sizeof what, "its other %s protected with it",
             e->links == 2 ? "name (a hard link) is" : "names (hard links) are");
    outcome_remark(o, what);
}

/* The copy that an overlay made of a file is another one. */
static bool is_another(const struct olv_docket_entry *e, const struct outcome_mark *mark)
{
    return mark->is_made && (mark->inode != e->identity.inode || mark->has_born != e->identity.has_born ||
                             (mark->has_born && olv_instant_compare(mark->born, e->identity.born) != 0));
}

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    const struct protect_arguments *how = e->arguments;
    int fd = protect_open(turn, e, o);
    if (fd < 0)
        return;
    o->is_noted = e->rule == OLV_BY_HAND;
    if (is_unused(turn, e, fd, o) && is_noted(turn, e, o) &&
        protection_set(fd, (enum olv_protection)how->level, &o->error)) {
        o->result = OLV_DONE;
        remark_links(e, o);
        protect_mark(turn, fd, o);
        if (is_another(e, &o->mark))
            outcome_remark(o, "the overlay made a copy of it for that");
    } else if (o->result == OLV_PENDING) {
        outcome_failed(o);
        if (o->error.code == OLV_REFUSED)
            o->result = OLV_LEFT;
    }
    olv_os_close(fd);
}

/* ---- what is recorded ---- */

struct own_row {
    const struct olv_protected *key;
    struct olv_protected found;
    bool is_there;
};

static void find_own(void *self, const struct olv_protected *row)
{
    struct own_row *own = self;
    if (row->level != own->key->level || strcmp(row->rule, own->key->rule) != 0 ||
        strcmp(row->run, own->key->run) != 0)
        return;
    own->is_there = true;
    own->found = *row;
    own->found.path = own->key->path; /* those of the row do not outlive this call */
    own->found.rule = own->key->rule;
    own->found.run = own->key->run;
}

/* Of one that is not known to be ours, lifting leaves the level. A row stays where the level was set, also if
 * it could not be synced. */
static void recorded(struct turn *turn, const struct olv_docket_entry *e, const struct olv_outcome *o)
{
    struct olv_error ignored = {0}; /* then a row stands for nothing */
    struct olv_protected row;
    struct own_row own = {.key = &row};
    bool is_set = o->result == OLV_DONE || (o->result == OLV_FAILED && o->mark.is_made);
    if ((is_set && !is_another(e, &o->mark)) || !row_of(turn, e, &row))
        return;
    if (is_set || o->result == OLV_UNSURE)
        recorded_protection(turn, &row, find_own, &own, &ignored);
    record_lifted(turn, &row, &ignored);
    if (!own.is_there)
        return;
    if (is_set) {
        own.found.inode = o->mark.inode;
        own.found.has_born = o->mark.has_born;
        own.found.born = o->mark.born;
    }
    own.found.was_so |= o->result == OLV_UNSURE;
    record_protection(turn, &own.found, &ignored);
}

/* ---- after a crash ---- */

enum olv_truth protect_was_ours(const struct turn *turn, const struct olv_stat *stat)
{
    enum { LATE_S = 1 };
    if (turn->crash.trace == OLV_TRACE_DONE || turn->crash.trace == OLV_TRACE_NOT_DONE)
        return turn->crash.trace == OLV_TRACE_DONE ? OLV_YES : OLV_NO;
    return stat->changed.s <= turn->crash.last.s + LATE_S ? OLV_YES : OLV_UNKNOWN;
}

static enum olv_truth applied(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    const struct protect_arguments *how = e->arguments;
    struct olv_protected row;
    struct own_row own = {.key = &row};
    struct olv_stat stat;
    enum olv_truth is_noted;
    if (!olv_os_stat(turn->directory.fd, e->name, &stat) || !olv_identity_remains(&e->identity, &stat))
        return OLV_UNKNOWN;
    if (!row_of(turn, e, &row))
        return olv_fail_memory(&o->error), OLV_UNKNOWN;
    is_noted = recorded_protection(turn, &row, find_own, &own, &o->error);
    if (is_noted == OLV_UNKNOWN)
        return OLV_UNKNOWN;
    if (!own.is_there || !(olv_protection_of(&stat) & (unsigned)how->level))
        return OLV_NO;
    o->result = OLV_DONE;
    o->is_noted = e->rule == OLV_BY_HAND;
    o->mark = (struct outcome_mark){true, stat.inode, stat.has_born, stat.born, stat.changed};
    return own.found.was_so ? OLV_YES : protect_was_ours(turn, &stat);
}

/* ---- */

static bool minds_writers(const void *arguments)
{
    const struct protect_arguments *how = arguments;
    return how->level != OLV_APPEND_ONLY && !how->open_too;
}

static bool inverse(const struct olv_ledger_record *done, struct olv_inverse *out)
{
    struct unprotect_arguments how = {.run = done->run};
    *out = (struct olv_inverse){.act = &act_unprotect, .path = done->path, .original = ""};
    memcpy(out->room, &how, sizeof how);
    out->arguments = out->room;
    return *done->path;
}

static const struct hooks hooks = {.needs = NEEDS_REGISTER | NEEDS_NOTE | ASKS_WRITERS,
                                   .announce = announce,
                                   .takes_several = true,
                                   .is_alone = protect_is_alone,
                                   .goes_beside = true,
                                   .apply = apply,
                                   .apply_group = protect_sync,
                                   .recorded = recorded,
                                   .applied = applied};

static const struct olv_word levels[] = {
    {"readonly", OLV_READONLY}, {"append-only", OLV_APPEND_ONLY}, {"frozen", OLV_FROZEN}, {0}};

#define AT(member) offsetof(struct protect_arguments, member)
static const struct olv_key keys[] = {
    {.name = "as",
     .type = OLV_KEY_WORD,
     .at = AT(level),
     .by = OLV_BY_BOTH,
     .is_required = true,
     .words = levels,
     .said_as = " as ",
     .about = "How far: `readonly` takes the write permissions away, `append-only` allows additions only, "
              "`frozen` no change at all; the last two keep root off, too."},
    {.name = "open-too", .type = OLV_KEY_TRUTH, .at = AT(open_too), .by = OLV_BY_OPTION},
    {0}};

const struct olv_act act_protect = {.word = "protect",
                                    .past = "protected",
                                    .wire = 6,
                                    .traits = OLV_TOUCHES | OLV_LIMITED | OLV_OUTLIVED |
                                              OLV_AGAIN_IF_OTHERWISE | OLV_WHOLE | OLV_ATTRIBUTES_ONLY |
                                              OLV_PROTECTS,
                                    .keys = keys,
                                    .arguments = sizeof(struct protect_arguments),
                                    .minds_writers = minds_writers,
                                    .inverse = inverse,
                                    .hooks = &hooks};
