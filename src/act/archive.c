/* SPDX-License-Identifier: Apache-2.0 */
/* archive: the archive is made and proven when its first entry has its turn (see archive_make.c). After that,
 * each entry's turn only removes the original. */
#include "act/acts.h"
#include "act/archive_make.h"
#include "act/level.h"

#include "depot/catalogue.h"
#include "file/identity.h"
#include "file/removal.h"
#include "olvido/path.h"
#include "os/os.h"
#include "source/destination.h"
#include "source/ending.h"
#include "source/judged.h"
#include "source/settling.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* Kept for the whole run. */
struct archiving {
    struct gathered *gathered; /* what went into archives */
    struct olv_text path;      /* scratch for settling */
    bool needs_archive; /* settling: an original may already have gone into an archive outside a depot */
};

static struct archiving *state_of(const struct turn *turn)
{
    return turn_state(turn, sizeof(struct archiving));
}

static void archive_close_state(void *state)
{
    struct archiving *a = state;
    if (!a)
        return;
    gathered_free(a->gathered);
    olv_text_free(&a->path);
    free(a);
}

static bool make(struct turn *turn, struct group *group, struct olv_error *err)
{
    struct archiving *a = state_of(turn);
    if (!a)
        return olv_fail_memory(err);
    if (!a->gathered && !(a->gathered = gathered_new(err)))
        return false;
    return archive_make(turn, group, a->gathered, err);
}

/* ---- in its turn ---- */

static const struct archive_arguments *how_of(const struct olv_docket_entry *e)
{
    return e->arguments;
}

static void unsuccessful(struct olv_outcome *o)
{
    outcome_failed(o);
    if (o->error.code == OLV_REFUSED)
        o->result = OLV_LEFT;
}

/* Why it is in no archive: its own error, or the archive's. */
static struct olv_error why_not(struct gathered *gathered, const struct gathered_entry *in,
                                const struct olv_error *of_archive)
{
    static const struct olv_error unknown = {.code = OLV_SYSTEM, .what = "it did not get into an archive"};
    struct olv_error own;
    if (in->is_known && !in->is_in)
        return gathered_why(gathered, in, &own) ? own : unknown;
    return of_archive && of_archive->code != OLV_OK ? *of_archive : unknown;
}

/* Whether it is in its archive, and in which. */
static bool is_in(const struct turn *turn, struct gathered_entry *in, struct olv_outcome *o)
{
    struct gathered *gathered = state_of(turn)->gathered;
    const struct olv_error *why = NULL;
    bool is_known = gathered_get(gathered, turn->sequence, in);
    o->into = gathered_path(gathered, in->archive, &why);
    if (is_known && in->is_in && o->into)
        return true;
    o->error = why_not(gathered, in, why);
    unsuccessful(o);
    o->into = NULL;
    return false;
}

static bool remove_it(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char why[sizeof o->error.what];
    if (ending_end_unused(turn, e, o))
        return true;
    if (e->identity.kind == OLV_KIND_DIRECTORY) {
        memcpy(why, o->error.what, sizeof why);
        snprintf(o->error.what, sizeof o->error.what, "it is in the archive; %.200s", why);
    }
    return false;
}

static void archive_apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct gathered_entry in = {0};
    if (!is_in(turn, &in, o))
        return;
    if (!how_of(e)->keeps && !remove_it(turn, e, o))
        return;
    o->result = OLV_DONE;
    if (in.has_digest) {
        memcpy(turn->scratch.digest, in.digest, sizeof turn->scratch.digest);
        o->digest = turn->scratch.digest;
    }
}

/* ---- after a crash ---- */

static enum olv_truth find_in_depot(struct turn *turn, const struct olv_docket_entry *e,
                                    struct olv_outcome *o)
{
    struct archiving *a = state_of(turn);
    enum olv_truth is_in = OLV_NO;
    if (!a)
        return OLV_UNKNOWN;
    olv_text_clear(&turn->scratch.path);
    olv_text_clear(&a->path);
    olv_docket_entry_path(e, &turn->scratch.path);
    if (turn->session->catalogue)
        is_in = catalogue_find_of_run(turn->session->catalogue, olv_text_string(&turn->scratch.path),
                                      turn->run.id, &a->path, &o->error);
    if (is_in == OLV_YES)
        o->into = olv_text_string(&a->path);
    return is_in;
}

struct beside {
    const char *name;
    int dir;
    struct given given;
};

/* The archive outside a depot that the run has made or begun, if it is known and exists. */
static enum olv_truth find_beside(struct turn *turn, const struct archive_arguments *how, struct beside *b,
                                  struct olv_error *err)
{
    enum olv_truth is_known = recorded_name(turn, 0, how->into, &b->given, err);
    struct olv_stat stat;
    if (is_known != OLV_YES)
        return is_known;
    b->dir = destination_open(how->into, &b->name, err);
    if (b->dir < 0 && err->sys == ENOENT) {
        olv_error_clear(err);
        return OLV_NO;
    }
    if (b->dir < 0)
        return OLV_UNKNOWN;
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
    return !*how_of(e)->depot && *how_of(e)->into;
}

/* Clears what was written of it before it had a name. */
static void clear_beside(const struct turn *turn, const struct archive_arguments *how)
{
    char label[FRESH_LABEL];
    struct fresh_search search = {.label = label, .wanted = ""};
    char ignored[NAME_MAX + 1];
    struct olv_error unsaid = {0}; /* if the directory is gone, or is a link now, there is nothing to clear */
    const char *name;
    int dir = destination_open(how->into, &name, &unsaid);
    turn_archive_label(label, turn, turn->sequence);
    if (dir < 0)
        return;
    fresh_find(dir, &search, ignored);
    close(dir);
}

/* The archive stays once an original is gone, because it may be the only copy. */
static void archive_look(struct turn *turn, const struct olv_docket_entry *e, bool is_reached)
{
    struct archiving *a = state_of(turn);
    if (!is_reached) { /* nothing tells, so nothing is taken back */
        if (a)
            a->needs_archive = true;
        return;
    }
    ending_settle(turn, e);
    if (is_beside(e))
        clear_beside(turn, how_of(e));
    if (a && is_beside(e) && settling_is_there(turn, e) != OLV_YES && e->identity.kind != OLV_KIND_DIRECTORY)
        a->needs_archive = true;
}

static enum olv_truth settle_beside(struct turn *turn, const struct olv_docket_entry *e,
                                    const struct archive_arguments *how, struct olv_outcome *o)
{
    enum olv_truth is_there = settling_is_there(turn, e);
    const struct archiving *a = state_of(turn);
    struct beside b;
    enum olv_truth found = a ? find_beside(turn, how, &b, &o->error) : OLV_UNKNOWN;
    bool is_known = found == OLV_YES, is_needed = a && (a->needs_archive || turn->crash.has_outcomes);
    if (found == OLV_UNKNOWN)
        return OLV_UNKNOWN;
    if (is_known && !is_needed) { /* all originals exist */
        removal_unlink(REMOVAL_BESIDE, b.dir, b.name);
        fsync(b.dir);
    }
    if (is_known)
        close(b.dir);
    if (!is_known || !is_needed)
        return is_there == OLV_YES ? OLV_NO : OLV_UNKNOWN;
    o->into = how->into;
    o->result = OLV_DONE;
    if (is_there == OLV_YES)
        return how->keeps ? OLV_UNKNOWN : OLV_NO; /* only the archive tells whether the entry is in it */
    return is_there == OLV_NO ? OLV_YES : OLV_UNKNOWN;
}

/* An original goes only once its archive is live; so if it is gone, it is in the archive. */
static enum olv_truth archive_applied(struct turn *turn, const struct olv_docket_entry *e,
                                      struct olv_outcome *o)
{
    enum olv_truth is_there = settling_is_there(turn, e), is_in;
    if (is_beside(e))
        return settle_beside(turn, e, how_of(e), o);
    is_in = find_in_depot(turn, e, o);
    if (is_in == OLV_UNKNOWN)
        return is_there == OLV_YES && !how_of(e)->keeps ? OLV_NO : OLV_UNKNOWN;
    if (is_in == OLV_NO)
        return is_there == OLV_YES ? OLV_NO : OLV_UNKNOWN;
    o->result = OLV_DONE;
    if (how_of(e)->keeps)
        return OLV_YES;
    if (is_there == OLV_YES || e->identity.kind == OLV_KIND_DIRECTORY)
        o->into = NULL;
    return is_there == OLV_YES ? OLV_NO : is_there == OLV_NO ? OLV_YES : OLV_UNKNOWN;
}

/* What goes into one archive, made in one way. */
static void archive_key(const struct olv_docket_entry *e, struct olv_text *out)
{
    const struct archive_arguments *how = how_of(e);
    wire_put(out,
             (uint64_t)how->codec | (uint64_t)how->level << 8 | (uint64_t)how->clock << 16 |
                 (uint64_t)how->keeps << 24,
             4);
    olv_text_puts(out, how->into);
}

/* Then everything in an archive of a depot can be removed in one batch later. */
static bool is_one_batch(const struct olv_docket_entry *e)
{
    return *how_of(e)->depot;
}

static const struct hooks hooks = {.needs = NEEDS_REGISTER,
                                   .fit_arguments = archive_fit,
                                   .group_key = archive_key,
                                   .is_one_batch = is_one_batch,
                                   .make_group = make,
                                   .apply = archive_apply,
                                   .free_state = archive_close_state,
                                   .look = archive_look,
                                   .applied = archive_applied};

/* The packing: by hand as the archive's name says, else as the depot has it. */
static bool archive_complete(void *arguments, const struct completing *c)
{
    struct archive_arguments *how = arguments;
    int named = *how->into ? (int)olv_pack_of_name(how->into, NULL) : how->codec;
    if (!*how->into && !key_is_given(c, "pack") && c->depot)
        named = (int)c->depot->codec;
    if (named >= OLV_CODEC_COUNT)
        return key_fails(c, "into", NULL, "", "the name of an archive says how it is packed");
    if (key_is_given(c, "pack") && named != how->codec)
        return key_fails(c, "pack", NULL, "", "the name of the archive says %s",
                         olv_pack_word((enum olv_codec)named));
    how->codec = named;
    return level_complete(&how->level, (enum olv_codec)how->codec, "pack", c);
}

static const struct olv_word one_per_words[] = {{"run", PER_RUN},
                                                {"day", PER_DAY},
                                                {"month", PER_MONTH},
                                                {"year", PER_YEAR},
                                                {"directory", PER_DIRECTORY},
                                                {0}};

#define AT(member) offsetof(struct archive_arguments, member)
static const struct olv_key keys[] = {
    {.name = "depot",
     .type = OLV_KEY_DEPOT,
     .at = AT(depot),
     .by = OLV_BY_BOTH,
     .is_required = true,
     .said_as = " in ",
     .about = "Where to: one of the policy's depots."},
    {.name = "one-per",
     .type = OLV_KEY_WORD,
     .at = AT(one_per),
     .by = OLV_BY_STEP,
     .words = one_per_words,
     .usual = "run",
     .about = "What goes into one archive."},
    {.name = "pack",
     .type = OLV_KEY_WORD,
     .at = AT(codec),
     .by = OLV_BY_BOTH,
     .words = olv_pack_words,
     .about = "The format; the depot's unless said."},
    LEVEL_KEY(AT(level)),
    {.name = "keep", .type = OLV_KEY_TRUTH, .at = AT(keeps), .by = OLV_BY_OPTION},
    {.name = "clock", .type = OLV_KEY_NUMBER, .at = AT(clock), .most = OLV_CLOCK_COUNT - 1},
    {.name = "into", .type = OLV_KEY_PATH, .at = AT(into)},
    {0}};

const struct olv_act act_archive = {.word = "archive",
                                    .past = "archived",
                                    .wire = 3,
                                    .traits = OLV_TOUCHES | OLV_LIMITED | OLV_OUTLIVED,
                                    .destination = OLV_TO_DEPOT,
                                    .order = OLV_BY_KEY,
                                    .keys = keys,
                                    .arguments = sizeof(struct archive_arguments),
                                    .complete = archive_complete,
                                    .hooks = &hooks};
