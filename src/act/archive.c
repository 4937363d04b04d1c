/* SPDX-License-Identifier: Apache-2.0 */
/* archive: into an archive, which was made and proven when the first of its entries had its turn (see
 * engine/gather.c). What is left for an entry's turn is to let the original go. */
#include "act/act.h"

#include "depot/catalogue.h"
#include "docket/wire.h"
#include "file/identity.h"
#include "file/stage.h"
#include "os/os.h"
#include "policy/step_keys.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

static void unsuccessful(struct olv_outcome *o)
{
    olv_act_unsuccessful(o);
    if (o->error.code == OLV_REFUSED)
        o->result = OLV_LEFT;
}

static void because(struct olv_outcome *o, enum olv_code code, int sys, const char *what)
{
    o->error = (struct olv_error){.code = code, .sys = sys};
    snprintf(o->error.what, sizeof o->error.what, "%s", what);
    unsuccessful(o);
}

/* Why it is in none: because of itself, or because of the archive. */
static struct olv_error why_not(struct olv_act_context *c, const struct gathered_entry *in,
                                const struct olv_error *of_archive)
{
    static const struct olv_error unknown = {.code = OLV_SYSTEM, .what = "it did not get into an archive"};
    struct olv_error own;
    if (in->is_known && !in->is_in)
        return gathered_why(c->gathered, in, &own) ? own : unknown;
    return of_archive && of_archive->code != OLV_OK ? *of_archive : unknown;
}

/* Whether it is in its archive, and which one that is. */
static bool is_in(struct olv_act_context *c, struct gathered_entry *in, struct olv_outcome *o)
{
    const struct olv_error *why = NULL;
    bool is_known = c->gathered && gathered_get(c->gathered, c->sequence, in);
    o->into = c->gathered ? gathered_path(c->gathered, in->archive, &why) : NULL;
    if (is_known && in->is_in && o->into)
        return true;
    o->error = why_not(c, in, why);
    unsuccessful(o);
    o->into = NULL;
    return false;
}

/* A directory has changed since, for what was in it went. Only an empty one can go, so nothing is lost should
 * somebody have put another one in its place right then. */
static bool remove_directory(struct olv_act_context *c, const struct olv_docket_entry *e,
                             struct olv_outcome *o)
{
    struct olv_stat stat;
    if (!olv_os_stat(c->source.fd, e->name, &stat))
        because(o, errno == ENOENT ? OLV_CHANGED : OLV_SYSTEM, errno,
                "it is in the archive; looking at it again");
    else if (!olv_identity_is(&e->identity, &stat))
        because(o, OLV_CHANGED, 0, "another directory stands in its place");
    else if (unlinkat(c->source.fd, e->name, AT_REMOVEDIR) == 0)
        return true;
    else if (errno == ENOTEMPTY || errno == EEXIST)
        because(o, OLV_CHANGED, 0, "it is in the archive, and not empty, so it stays");
    else
        because(o, OLV_SYSTEM, errno, "it is in the archive, but cannot be removed");
    return false;
}

/* The state of a file of which another name went has changed by that. */
static bool remove_it(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char label[FRESH_LABEL];
    if (e->identity.kind == OLV_KIND_DIRECTORY)
        return remove_directory(c, e, o);
    olv_act_label(label, c, c->sequence);
    return olv_act_remove_unused(c, e, label, e->links < 2, o);
}

static void apply(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct gathered_entry in = {0};
    if (!is_in(c, &in, o))
        return;
    if (!e->manner->keeps && (!olv_act_is_allowed(c, e, o) || !remove_it(c, e, o)))
        return;
    o->result = OLV_DONE;
    if (in.has_digest) {
        memcpy(c->digest, in.digest, sizeof c->digest);
        o->digest = c->digest;
    }
}

/* The archive has been published: what is in it goes, even when the run is to stop. */
static bool is_decided(const struct olv_act_context *c, const struct olv_docket_entry *e)
{
    struct gathered_entry in;
    const struct olv_error *why;
    (void)e;
    return c->gathered && gathered_get(c->gathered, c->sequence, &in) && in.is_known &&
           gathered_path(c->gathered, in.archive, &why);
}

/* ---- after a crash ---- */

static enum olv_truth find_in_depot(struct olv_act_context *c, const struct olv_docket_entry *e,
                                    struct olv_outcome *o)
{
    enum olv_truth is_in = OLV_NO;
    olv_text_clear(&c->path);
    olv_text_clear(&c->archive);
    olv_docket_entry_path(e, &c->path);
    if (c->catalogue)
        is_in =
            catalogue_find_of_run(c->catalogue, olv_text_string(&c->path), c->run, &c->archive, &o->error);
    if (is_in == OLV_YES)
        o->into = olv_text_string(&c->archive);
    return is_in;
}

static int open_beside(const struct olv_manner *how)
{
    const char *slash = strrchr(how->into, '/');
    char directory[PATH_MAX];
    snprintf(directory, sizeof directory, "%.*s", slash == how->into ? 1 : (int)(slash - how->into),
             how->into);
    return open(directory, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
}

struct beside {
    const char *name;
    int dir;
    struct given given;
};

/* The archive that the run has made, or begun, where it is in no depot. It is there when it is known. */
static enum olv_truth find_beside(struct olv_act_context *c, const struct olv_manner *how, struct beside *b,
                                  struct olv_error *err)
{
    const char *slash = strrchr(how->into, '/');
    enum olv_truth is_known =
        c->givens ? givens_find_path(c->givens, c->run, how->into, &b->given, err) : OLV_NO;
    struct olv_stat stat;
    if (is_known != OLV_YES)
        return is_known;
    b->name = slash + 1;
    b->dir = open_beside(how);
    if (b->dir < 0)
        return errno == ENOENT ? OLV_NO : OLV_UNKNOWN;
    if (!olv_os_stat(b->dir, b->name, &stat))
        is_known = errno == ENOENT ? OLV_NO : OLV_UNKNOWN;
    else if (!given_is(&b->given, &stat))
        is_known = OLV_NO;
    if (is_known != OLV_YES)
        close(b->dir);
    return is_known;
}

static bool is_beside(const struct olv_docket_entry *e)
{
    return !*e->manner->depot && *e->manner->into;
}

/* What was written of it before it had a name of its own. */
static void clear_beside(const struct olv_act_context *c, const struct olv_manner *how)
{
    char label[FRESH_LABEL];
    struct fresh_search search = {.label = label, .wanted = ""};
    char ignored[NAME_MAX + 1];
    int dir = open_beside(how);
    olv_act_archive_label(label, c, c->sequence);
    if (dir < 0)
        return;
    fresh_find(dir, &search, ignored);
    close(dir);
}

/* It stays when an original is gone, for it may be the only copy. */
static void look(struct olv_act_context *c, const struct olv_docket_entry *e)
{
    char label[FRESH_LABEL];
    olv_act_label(label, c, c->sequence);
    stage_settle(c->source.fd, e->name, label, &e->identity, c->observer);
    if (is_beside(e))
        clear_beside(c, e->manner);
    if (is_beside(e) && olv_act_is_there(c, e) != OLV_YES && e->identity.kind != OLV_KIND_DIRECTORY)
        c->needs_archive = true;
}

static enum olv_truth settle_beside(struct olv_act_context *c, const struct olv_docket_entry *e,
                                    const struct olv_manner *how, struct olv_outcome *o)
{
    enum olv_truth is_there = olv_act_is_there(c, e);
    struct beside b;
    enum olv_truth found = find_beside(c, how, &b, &o->error);
    bool is_known = found == OLV_YES;
    if (found == OLV_UNKNOWN)
        return OLV_UNKNOWN;
    if (is_known && !c->needs_archive && !c->has_outcomes) { /* all originals are there */
        unlinkat(b.dir, b.name, 0);
        fsync(b.dir);
    }
    if (is_known)
        close(b.dir);
    if (!is_known || (!c->needs_archive && !c->has_outcomes))
        return is_there == OLV_YES ? OLV_NO : OLV_UNKNOWN;
    o->into = how->into;
    o->result = OLV_DONE;
    if (is_there == OLV_YES)
        return how->keeps ? OLV_UNKNOWN : OLV_NO; /* whether it got in is told by the archive alone */
    return is_there == OLV_NO ? OLV_YES : OLV_UNKNOWN;
}

/* An original goes only when its archive is live: where it has gone, it is in it. */
static enum olv_truth settle_entry(struct olv_act_context *c, const struct olv_docket_entry *e,
                                   struct olv_outcome *o)
{
    enum olv_truth is_there = olv_act_is_there(c, e), is_in;
    if (is_beside(e))
        return settle_beside(c, e, e->manner, o);
    is_in = find_in_depot(c, e, o);
    if (is_in == OLV_UNKNOWN)
        return is_there == OLV_YES && !e->manner->keeps ? OLV_NO : OLV_UNKNOWN;
    if (is_in == OLV_NO)
        return is_there == OLV_YES ? OLV_NO : OLV_UNKNOWN;
    o->result = OLV_DONE;
    if (e->manner->keeps)
        return OLV_YES;
    if (is_there == OLV_YES || e->identity.kind == OLV_KIND_DIRECTORY)
        o->into = NULL;
    return is_there == OLV_YES ? OLV_NO : is_there == OLV_NO ? OLV_YES : OLV_UNKNOWN;
}

/* What goes into one archive. */
static void batch_key(const struct olv_docket_entry *e, struct olv_text *out)
{
    if (*e->manner->depot)
        wire_put_manner(out, e->manner);
}

static const struct hooks hooks = {.needs = NEEDS_CATALOGUE | NEEDS_GIVENS | IS_GATHERED,
                                   .apply = apply,
                                   .is_decided = is_decided,
                                   .batch_key = batch_key,
                                   .look = look,
                                   .settle_entry = settle_entry};

static const struct step_key keys[] = {
    {"depot", &step_depot, true, "archive: where to, one of the policy's depots; required there."},
    {"one-per", &step_one_per, false, "archive: what goes into one archive."},
    {"pack", &step_pack, false, "archive: the format; the depot's unless said."},
    {"level", &step_level, false, "compress, archive: in the range of the format."},
    {0}};

const struct olv_act act_archive = {.word = "archive",
                                    .past = "archived",
                                    .wire = 3,
                                    .traits = OLV_TOUCHES | OLV_TAKES_AWAY | OLV_OUTLIVED | OLV_BY_POLICY,
                                    .destination = OLV_TO_DEPOT,
                                    .keys = keys,
                                    .hooks = &hooks};
