/* SPDX-License-Identifier: Apache-2.0 */
/* discard: into the trash, recoverable. If only we can write the directory, the name is compared right before
 * the rename; the info file, which may take its time, already exists. Otherwise somebody could exchange the
 * file in between, so what arrived in the trash (which nobody else can reach) is compared again; a wrong file
 * goes back, replacing nothing. */
#include "act/acts.h"

#include "file/identity.h"
#include "os/os.h"
#include "source/halves.h"
#include "source/judged.h"
#include "source/settling.h"

#include <errno.h>
#include <string.h>

static const char *path_of(struct turn *turn, const struct olv_docket_entry *e)
{
    olv_text_clear(&turn->scratch.path);
    olv_docket_entry_path(e, &turn->scratch.path);
    return olv_text_string(&turn->scratch.path);
}

/* What arrived is not what was judged, or cannot be examined: it goes back. If its name is taken by now, both
 * are kept. */
static void put_back(struct turn *turn, const struct olv_docket_entry *e, const struct olv_error *why,
                     struct olv_outcome *o)
{
    struct olv_error err = {0};
    struct halves_witness witness;
    char name[NAME_MAX + 1];
    olv_fail(&o->error, OLV_CHANGED, "another file took its name; it was left where it was");
    o->result = OLV_LEFT;
    if (olv_trash_take(turn->trash, o->trash, turn->directory.fd, e->name, OLV_REFUSE,
                       halves_begin(&witness, turn, RENAME_BACK), name, &err)) {
        o->trash[0] = '\0';
        if (why->code != OLV_CHANGED) {
            o->error = *why;
            o->result = OLV_FAILED;
        }
        return;
    }
    olv_fail(&o->error, OLV_CHANGED,
             err.code == OLV_EXISTS
                 ? "another file has its name by now; what was taken lies in the trash as %.150s"
                 : "what was taken cannot be put back: it lies in the trash as %.150s",
             o->trash);
    o->error.sys = err.code == OLV_EXISTS ? 0 : err.sys;
    o->result = OLV_FAILED;
}

static const struct olv_contents *contents_of(const struct olv_docket_entry *e)
{
    return e->identity.kind == OLV_KIND_DIRECTORY ? &e->contents : NULL;
}

/* ---- ahead of its turn ---- */

static bool discard_prepare(const struct ahead_turn *ahead, const struct olv_docket_entry *e,
                            struct ahead_made *out)
{
    struct olv_putting putting = {.name = e->name,
                                  .rule = e->rule_name,
                                  .contents = contents_of(e),
                                  .when = ahead->now,
                                  .label = {ahead->run, ahead->sequence},
                                  .is_synced = ahead->is_small,
                                  .has_others = judged_has_twins(e)};
    struct olv_error ignored = {0}; /* on failure, it fails again in its turn, and is reported then */
    olv_text_clear(ahead->path);
    olv_docket_entry_path(e, ahead->path);
    putting.path = olv_text_string(ahead->path);
    if (!ahead->trash || ahead->path->failed)
        return false;
    out->trash = ahead->trash;
    return olv_trash_prepare(ahead->trash, ahead->writer, &putting, out->item, &ignored);
}

/* The prepared name, if it was prepared in the right trash. */
static void use_prepared(struct turn *turn, char item[NAME_MAX + 1])
{
    struct ahead_made *prepared = turn->made.ahead;
    if (!prepared || !prepared->is_made || prepared->trash != turn->trash)
        return;
    memcpy(item, prepared->item, sizeof prepared->item);
    prepared->is_made = false; /* from here on, whoever puts the file there is responsible for the item */
}

/* ---- in its turn ---- */

static void give_up(struct olv_outcome *o)
{
    o->trash[0] = '\0';
    outcome_failed(o);
}

static void discard_apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct halves_witness witness;
    struct olv_putting putting = {.name = e->name,
                                  .rule = e->rule_name,
                                  .contents = contents_of(e),
                                  .when = turn->run.now,
                                  .label = {turn->run.id, turn->sequence},
                                  .is_synced = turn->run.is_small,
                                  .has_others = judged_has_twins(e),
                                  .witness = halves_begin(&witness, turn, RENAME_THERE)};
    struct olv_outcome arrived = {0};
    if (!judged_verify_contents(turn, turn->directory.fd, e->name, true, e, o))
        return;
    putting.path = path_of(turn, e);
    use_prepared(turn, o->trash);
    if (!*o->trash && !olv_trash_prepare(turn->trash, &turn->trash->writer, &putting, o->trash, &o->error)) {
        give_up(o);
        return;
    }
    if (!judged_verify(turn->directory.fd, e->name, e, true, o)) {
        olv_trash_abandon(turn->trash, o->trash);
        o->trash[0] = '\0';
        return;
    }
    if (!olv_trash_put(turn->trash, turn->directory.fd, &putting, o->trash, &o->error)) {
        give_up(o);
        return;
    }
    o->result = OLV_DONE;
    if (!turn->directory.is_ours &&
        (!judged_verify(turn->trash->files, o->trash, e, false, &arrived) ||
         !judged_verify_contents(turn, turn->trash->files, o->trash, false, e, &arrived)))
        put_back(turn, e, &arrived.error, o);
    else if (e->identity.kind == OLV_KIND_DIRECTORY)
        trash_sizes_note(turn->trash, o->trash, e->contents.allocated_bytes);
}

/* ---- after a crash ---- */

static bool lies_in_trash(struct turn *turn, const char *item, const struct olv_docket_entry *e)
{
    struct olv_stat stat;
    return olv_os_stat(turn->trash->files, item, &stat) && olv_identity_survived(&e->identity, &stat);
}

/* An info file of ours whose item never came. */
static void drop_stray(struct turn *turn, const char *item)
{
    struct olv_stat stat;
    if (!olv_os_stat(turn->trash->files, item, &stat) && errno == ENOENT)
        olv_trash_abandon(turn->trash, item);
}

/* Whether the item of this name is ours: its info file says this run and path. Where it says nothing (the
 * power went), the name made of run and number does; or that the file had no other name, so that no older
 * item can look the same. The inode alone is no proof: items of other nights may be hard links of this file.
 */
static bool is_ours(struct turn *turn, const struct olv_docket_entry *e, const char *item, bool names_us)
{
    enum olv_info_owner owner = olv_trash_info_owner(turn->trash, item, path_of(turn, e), turn->run.id);
    if (owner == OLV_INFO_OTHERS)
        return false;
    if (lies_in_trash(turn, item, e))
        return owner == OLV_INFO_OURS || names_us || settling_is_there(turn, e) == OLV_NO;
    if (owner != OLV_INFO_NONE)
        drop_stray(turn, item);
    return false;
}

/* It can have one of two names in the trash. */
static bool find_item(struct turn *turn, const struct olv_docket_entry *e, char item[NAME_MAX + 1])
{
    struct olv_trash_label label = {turn->run.id, turn->sequence};
    olv_trash_unique_name(item, e->name, label);
    if (is_ours(turn, e, item, true))
        return true;
    olv_trash_plain_name(item, e->name);
    if (!judged_has_twins(e) && is_ours(turn, e, item, false))
        return true;
    item[0] = '\0';
    return false;
}

static void settle_halves(struct turn *turn)
{
    char item[NAME_MAX + 1];
    if (halves_settle(turn, RENAME_BACK, turn->trash->files, turn->directory.fd, item) ||
        halves_settle(turn, RENAME_THERE, turn->directory.fd, turn->trash->files, item))
        olv_trash_abandon(turn->trash, item);
}

static enum olv_truth discard_applied(struct turn *turn, const struct olv_docket_entry *e,
                                      struct olv_outcome *o)
{
    struct olv_putting putting;
    settle_halves(turn);
    if (!find_item(turn, e, o->trash))
        return settling_is_there(turn, e) == OLV_YES ? OLV_NO : OLV_UNKNOWN;
    putting = (struct olv_putting){.path = path_of(turn, e),
                                   .rule = e->rule_name,
                                   .contents = contents_of(e),
                                   .when = turn->run.now,
                                   .label = {turn->run.id, turn->sequence}};
    o->result = olv_trash_mend_info(turn->trash, o->trash, &putting, &o->error) ? OLV_DONE : OLV_FAILED;
    return OLV_YES;
}

static struct olv_trash *find_trash(struct turn *turn, const struct olv_docket_entry *e,
                                    struct olv_error *err)
{
    (void)e;
    return olv_trashes_for(turn->session->trashes, turn->directory.mount, err);
}

static const struct hooks hooks = {.needs = NEEDS_TRASH,
                                   .find_trash = find_trash,
                                   .prepare_ahead = discard_prepare,
                                   .apply = discard_apply,
                                   .applied = discard_applied};

const struct olv_act act_discard = {.word = "discard",
                                    .past = "discarded",
                                    .wire = 7,
                                    .traits = OLV_TOUCHES | OLV_LIMITED | OLV_WHOLE,
                                    .destination = OLV_TO_TRASH,
                                    .hooks = &hooks};
