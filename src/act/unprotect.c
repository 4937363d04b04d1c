/* SPDX-License-Identifier: Apache-2.0 */
/* unprotect: lifts what Olvido set of a file or directory and is still so: by hand whatever was set, as a
 * step what its own rule set. A level that somebody else set, too, stays. */
#include "act/protect.h"

#include "act/acts.h"
#include "file/identity.h"
#include "file/protection.h"
#include "os/os.h"
#include "source/records.h"

#include <stdio.h>
#include <string.h>

/* What the register says of a file, summed up. */
struct standing {
    const struct olv_docket_entry *entry;
    unsigned lifted;            /* levels to lift, */
    unsigned was_so;            /* of which these were so before Olvido */
    unsigned kept;              /* levels that stay for others, */
    char keeper[64];            /* one of them */
    uint32_t mode;              /* to be given back */
    bool has_list, is_for_rule; /* some row is a rule's */
};

static bool is_meant(const struct olv_docket_entry *e, const struct olv_protected *row)
{
    const struct unprotect_arguments *how = e->arguments;
    return (e->rule == OLV_BY_HAND || strcmp(row->rule, e->rule_name) == 0) &&
           (!*how->run || strcmp(row->run, how->run) == 0);
}

static void note_row(void *self, const struct olv_protected *row)
{
    struct standing *s = self;
    if (!is_meant(s->entry, row)) {
        s->kept |= row->was_so ? 0 : row->level;
        snprintf(s->keeper, sizeof s->keeper, "%s%.50s", *row->rule ? "rule " : "a person", row->rule);
        return;
    }
    s->lifted |= row->level;
    s->was_so |= row->was_so ? row->level : 0;
    s->is_for_rule |= *row->rule != '\0';
    if (row->level == OLV_READONLY && !row->was_so) {
        s->mode |= row->mode;
        s->has_list |= row->has_list;
    }
}

static bool stand(struct turn *turn, const struct olv_docket_entry *e, struct standing *out,
                  struct olv_error *err)
{
    struct olv_protected key;
    *out = (struct standing){.entry = e};
    if (!protection_key(e, &turn->scratch.path, &key))
        return olv_fail_memory(err);
    return recorded_protection(turn, &key, note_row, out, err) != OLV_UNKNOWN;
}

/* ---- lifting ---- */

static void leave(struct olv_outcome *o, const char *why)
{
    olv_fail(&o->error, OLV_REFUSED, "%s", why);
    o->result = OLV_LEFT;
}

/* Olvido set nothing of what it shows. */
static void lift_unknown(const struct unprotect_arguments *how, const struct olv_docket_entry *e, int fd,
                         unsigned shown, struct olv_outcome *o)
{
    char what[160];
    if (e->rule != OLV_BY_HAND) {
        o->result = OLV_DONE; /* this rule has nothing to lift */
    } else if (!shown || *how->run) {
        leave(o, *how->run ? "nothing of that run protects it any more" : "it is not protected");
    } else if (!(shown & ~(unsigned)OLV_READONLY)) {
        leave(o, "its mode is read-only, and Olvido does not know what it was before: change the mode");
    } else if (!how->anyway) {
        snprintf(what, sizeof what, "it is %s, but Olvido does not know of it: --anyway lifts it",
                 olv_protection_words(shown & ~(unsigned)OLV_READONLY));
        leave(o, what);
    } else if (protection_lift_flags(fd, shown, &o->error)) {
        o->result = OLV_DONE;
    }
}

static void remark_what_stays(const struct standing *s, unsigned shown, struct olv_outcome *o)
{
    unsigned stays = shown & s->lifted & s->kept, before = shown & s->was_so & ~s->kept;
    unsigned others = shown & ~s->lifted & ~s->kept & ~(unsigned)OLV_READONLY;
    char what[200];
    if (stays) {
        snprintf(what, sizeof what, "it stays %s for %s", olv_protection_words(stays), s->keeper);
        outcome_remark(o, what);
    }
    if (before) {
        snprintf(what, sizeof what, "it stays %s, as it was before", olv_protection_words(before));
        outcome_remark(o, what);
    }
    if (others) {
        snprintf(what, sizeof what, "it is %s, which Olvido did not set", olv_protection_words(others));
        outcome_remark(o, what);
    }
}

/* What somebody else lifted, and perhaps set again: a frozen file has its ctime until somebody does. */
static bool is_touched(const struct turn *turn, const struct olv_stat *stat, const struct standing *s)
{
    struct olv_error ignored = {0};
    bool is_ours = true;
    return s->lifted & OLV_FROZEN && !(s->was_so & OLV_FROZEN) && stat->is_immutable &&
           recorded_mark(turn, stat, &is_ours, &ignored) == OLV_YES && !is_ours;
}

static void lift(struct turn *turn, const struct standing *s, int fd, const struct olv_stat *stat,
                 struct olv_outcome *o)
{
    const struct unprotect_arguments *how = s->entry->arguments;
    unsigned shown = olv_protection_of(stat), to_lift = s->lifted & ~s->was_so & ~s->kept;
    bool is_changed = false;
    char what[120];
    if (!how->anyway && is_touched(turn, stat, s)) {
        leave(o, "somebody else lifted it and froze it again: --anyway lifts that, too");
        return;
    }
    if (!protection_lift_flags(fd, how->anyway && s->entry->rule == OLV_BY_HAND ? shown : to_lift,
                               &o->error) ||
        (to_lift & OLV_READONLY && !protection_give_back(fd, s->mode, s->has_list, &is_changed, &o->error)))
        return;
    o->result = OLV_DONE;
    if (to_lift & ~shown & ~(unsigned)OLV_READONLY) {
        snprintf(what, sizeof what, "it was not %s any more",
                 olv_protection_words(to_lift & ~shown & ~(unsigned)OLV_READONLY));
        outcome_remark(o, what);
    }
    if (is_changed)
        outcome_remark(o, "somebody else changed its mode or access list meanwhile, and that stays");
    if (!how->anyway)
        remark_what_stays(s, shown, o);
}

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct standing standing;
    struct olv_stat stat;
    int fd = protect_open(turn, e, o);
    if (fd < 0)
        return;
    if (stand(turn, e, &standing, &o->error) &&
        (olv_os_stat(fd, "", &stat) || olv_fail_system(&o->error, "", "cannot look at it"))) {
        o->is_noted = e->rule == OLV_BY_HAND && !standing.is_for_rule;
        if (standing.lifted)
            lift(turn, &standing, fd, &stat, o);
        else
            lift_unknown(e->arguments, e, fd, olv_protection_of(&stat), o);
    }
    if (o->result == OLV_DONE)
        protect_mark(turn, fd, o);
    else if (o->result == OLV_PENDING)
        outcome_failed(o);
    olv_os_close(fd);
}

/* ---- what is recorded ---- */

struct forgetting {
    struct turn *turn;
    const struct olv_docket_entry *entry;
    struct olv_text rows; /* rule and level of each */
};

static void collect_row(void *self, const struct olv_protected *row)
{
    struct forgetting *f = self;
    if (!is_meant(f->entry, row))
        return;
    olv_text_add(&f->rows, row->rule, strlen(row->rule) + 1);
    olv_text_add(&f->rows, (const char[]){(char)row->level}, 1);
}

static void recorded(struct turn *turn, const struct olv_docket_entry *e, const struct olv_outcome *o)
{
    struct forgetting f = {.turn = turn, .entry = e};
    struct olv_error ignored = {0}; /* then a row stands that nothing fits */
    struct olv_protected key;
    if (o->result != OLV_DONE || !protection_key(e, &turn->scratch.path, &key))
        return;
    recorded_protection(turn, &key, collect_row, &f, &ignored);
    for (size_t at = 0; !f.rows.failed && at < f.rows.len;) {
        key.rule = f.rows.data + at;
        at += strlen(key.rule) + 1;
        key.level = (enum olv_protection)f.rows.data[at++];
        record_lifted(turn, &key, &ignored);
    }
    olv_text_free(&f.rows);
}

/* ---- after a crash ---- */

static enum olv_truth applied(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct standing standing;
    struct olv_stat stat;
    unsigned to_lift, left;
    if (!olv_os_stat(turn->directory.fd, e->name, &stat) || !olv_identity_remains(&e->identity, &stat) ||
        !stand(turn, e, &standing, &o->error))
        return OLV_UNKNOWN;
    to_lift = standing.lifted & ~standing.was_so & ~standing.kept;
    left = to_lift & olv_protection_of(&stat);
    if (!standing.lifted || (to_lift && left == to_lift))
        return turn->crash.trace == OLV_TRACE_DONE ? OLV_YES : OLV_NO;
    o->mark = (struct outcome_mark){true, stat.inode, stat.has_born, stat.born, stat.changed};
    o->result = OLV_DONE;
    o->is_noted = e->rule == OLV_BY_HAND && !standing.is_for_rule;
    if (!left)
        return protect_was_ours(turn, &stat);
    olv_fail(&o->error, OLV_SYSTEM, "the run was cut short: it is still %s", olv_protection_words(left));
    o->result = OLV_FAILED;
    return OLV_YES;
}

static bool minds_writers(const void *arguments)
{
    (void)arguments;
    return false;
}

static const struct hooks hooks = {.needs = NEEDS_NOTE | ASKS_WRITERS,
                                   .takes_several = true,
                                   .is_alone = protect_is_alone,
                                   .apply = apply,
                                   .apply_group = protect_sync,
                                   .recorded = recorded,
                                   .applied = applied};

#define AT(member) offsetof(struct unprotect_arguments, member)
static const struct olv_key keys[] = {
    {.name = "anyway", .type = OLV_KEY_TRUTH, .at = AT(anyway), .by = OLV_BY_OPTION},
    {.name = "run", .type = OLV_KEY_TEXT, .at = AT(run), .by = OLV_BY_NOBODY},
    {0}};

const struct olv_act act_unprotect = {.word = "unprotect",
                                      .past = "unprotected",
                                      .wire = 14,
                                      .traits = OLV_TOUCHES | OLV_OUTLIVED | OLV_WHOLE | OLV_ATTRIBUTES_ONLY |
                                                OLV_LIFTS | OLV_NEVER_LAPSES,
                                      .keys = keys,
                                      .arguments = sizeof(struct unprotect_arguments),
                                      .minds_writers = minds_writers,
                                      .hooks = &hooks};
