/* SPDX-License-Identifier: Apache-2.0 */
/* The file tree as a place. Ending: unlink; Olvido cannot recover it. */
#include "file/identity.h"
#include "os/os.h"
#include "scan/contents.h"
#include "source/ending.h"
#include "source/judged.h"
#include "source/settling.h"

#include <errno.h>
#include <fcntl.h>
#include <unistd.h>

/* The directory's times changed when its contents went. Only an empty directory can be removed so, and
 * nothing is lost even if somebody has just put another one in its place. */
static bool end_empty(struct turn *turn, const struct olv_reach *at, const struct olv_docket_entry *e,
                      struct olv_outcome *o)
{
    struct olv_stat stat;
    struct olv_error *err = &o->error;
    stage_leave(&turn->ending.stage, turn->session->options.observer); /* it may be in there */
    if (!olv_os_stat(at->fd, e->name, &stat)) {
        olv_fail_system(err, e->name, "looking at it again");
        if (err->sys == ENOENT)
            olv_error_as(err, OLV_CHANGED);
    } else if (!olv_identity_is(&e->identity, &stat)) {
        olv_fail(err, OLV_CHANGED, "another directory is in its place");
    } else if (stat.device != at->device) {
        olv_fail(err, OLV_REFUSED, "it is the root of a subvolume");
    } else if (unlinkat(at->fd, e->name, AT_REMOVEDIR) == 0) {
        return true;
    } else if (errno == ENOTEMPTY || errno == EEXIST) {
        olv_fail(err, OLV_CHANGED, "it is not empty, so it stays");
    } else {
        olv_fail_system(err, e->name, "it cannot be removed");
    }
    outcome_failed(o);
    return false;
}

static bool end(struct turn *turn, const struct olv_reach *at, const struct olv_docket_entry *e,
                struct olv_outcome *o)
{
    if (e->identity.kind != OLV_KIND_DIRECTORY)
        return ending_unlink(turn, at, e, o);
    return e->act->traits & OLV_WHOLE && !e->is_emptied ? ending_remove_tree(turn, at, e, o)
                                                        : end_empty(turn, at, e, o);
}

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    if (ending_end(turn, &turn->directory, e, o))
        o->result = OLV_DONE;
}

/* It stands, but the act had begun to overwrite or empty it. */
static bool is_begun(const struct turn *turn, const struct olv_docket_entry *e)
{
    struct olv_stat stat;
    return ending_was_begun(turn, e) && olv_os_stat(turn->directory.fd, e->name, &stat) &&
           olv_identity_remains(&e->identity, &stat);
}

/* It stands as it was, but something in it is gone. */
static bool is_partly_gone(const struct turn *turn, const struct olv_docket_entry *e)
{
    struct olv_contents now;
    struct olv_error ignored = {0};
    return e->identity.kind == OLV_KIND_DIRECTORY && !e->is_emptied && e->contents.entries &&
           (!olv_scan_contents(turn->directory.fd, e->name, NULL, &now, &ignored) ||
            now.entries != e->contents.entries);
}

/* Somebody else may have removed it: its absence alone proves nothing. */
enum olv_truth ending_applied(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    enum olv_truth is_there;
    ending_settle(turn, e);
    is_there = settling_is_there(turn, e);
    o->result = OLV_DONE;
    if ((is_there == OLV_NO || e->act->manner || is_partly_gone(turn, e)) && is_begun(turn, e)) {
        ending_keep_due(turn, e);
        olv_fail(&o->error, OLV_SYSTEM, "%s when the run was cut short",
                 e->act->manner ? "it may have been overwritten" : "a part of it was removed");
        o->result = OLV_FAILED;
        return OLV_YES;
    }
    if (is_there == OLV_YES && is_partly_gone(turn, e)) { /* a power cut may have taken the trace */
        olv_fail(&o->error, OLV_SYSTEM,
                 "a part of it is gone, and nothing tells whether this run removed it");
        return OLV_UNKNOWN;
    }
    if (is_there == OLV_YES || turn->crash.trace == OLV_TRACE_NOT_DONE)
        return OLV_NO;
    return is_there == OLV_NO && turn->crash.trace == OLV_TRACE_DONE ? OLV_YES : OLV_UNKNOWN;
}

/* What has other names is left as our own act on those changed it, and that is known of earlier turns only.
 */
static bool is_alone(const struct olv_docket_entry *e)
{
    return e->identity.kind == OLV_KIND_DIRECTORY || e->links > 1 || e->act->manner;
}

static const struct hooks ending = {.needs = NEEDS_NOTE,
                                    .takes_several = true,
                                    .is_alone = is_alone,
                                    .goes_beside = true,
                                    .apply = apply,
                                    .applied = ending_applied};

const struct source source_tree = {.ways = {[OLV_END] = &ending}, .end = end};
