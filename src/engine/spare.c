/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/spare.h"

#include "os/os.h"
#include "source/judged.h"
#include "source/records.h"

#include <errno.h>

/* Looks at all processes, at most once a second, and lends that to the acts if it saw all of them. */
static void look_at_processes(struct olv_run *run)
{
    enum { FRESH_S = 1 };
    struct olv_instant now = olv_os_now();
    if (run->in_use && now.s <= run->in_use_at.s + FRESH_S && now.s >= run->in_use_at.s)
        return;
    olv_os_in_use_free(run->in_use);
    run->in_use = olv_os_in_use_read();
    run->in_use_at = now;
    run->turn.ending.in_use = run->in_use && olv_os_in_use_is_complete(run->in_use) ? run->in_use : NULL;
}

/* Whether anybody writes to it. For acts that can be taken back, one look answers for many files; otherwise
 * the system is asked about this file. */
static enum olv_truth is_open_for_writing(struct olv_run *run, const struct olv_docket_entry *e)
{
    if (e->act->traits & OLV_FINAL)
        return olv_os_is_open_for_writing(run->turn.directory.fd, e->name);
    look_at_processes(run);
    if (run->in_use && olv_os_is_in_use(run->in_use, run->turn.directory.device, e->identity.inode))
        return OLV_YES;
    if (run->in_use && olv_os_in_use_is_complete(run->in_use))
        return OLV_NO;
    return olv_os_is_open_for_writing(run->turn.directory.fd, e->name);
}

/* A reason outside the file itself. */
static bool is_exhausted(int error)
{
    return error == EMFILE || error == ENFILE || error == ENOMEM || error == EIO;
}

static bool spare_because(struct olv_outcome *o, enum olv_code code, const char *why)
{
    olv_fail(&o->error, code, "%s", why);
    o->result = OLV_LEFT;
    return true;
}

/* Nobody knows whether it may go; the next run may. `sys`: the system's errno, or 0. */
static bool spare_for_now(struct olv_outcome *o, int sys, const char *why)
{
    olv_fail(&o->error, OLV_SYSTEM, "%s", why);
    o->error.sys = sys;
    o->result = OLV_FAILED;
    return true;
}

static bool is_spared_for_writing(struct olv_run *run, const struct olv_docket_entry *e,
                                  struct olv_outcome *o)
{
    enum olv_truth is_open;
    errno = 0;
    is_open = is_open_for_writing(run, e);
    if (is_open == OLV_YES)
        return spare_because(o, OLV_CHANGED, "it is open for writing");
    if (is_open == OLV_UNKNOWN && is_exhausted(errno))
        return spare_for_now(o, errno, "cannot find out whether it is open for writing");
    return is_open == OLV_UNKNOWN && e->act->traits & OLV_FINAL &&
           spare_because(o, OLV_CHANGED, "the system does not tell whether it is open for writing");
}

/* Holds and open files may have changed since planning. */
bool spare_entry(struct olv_run *run, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    const struct olv_holds *holds = run->session->options.holds;
    const struct olv_policy *policy = run->session->options.policy;
    enum olv_truth is_held = OLV_NO, is_given = OLV_NO;
    struct olv_stat stat;
    if (!(e->act->traits & OLV_TOUCHES) || hooks_of(e)->needs & ASKS_ITSELF)
        return false;
    /* A missing or different file is the act's to report: what is known of its inode may be about an older
     * file with the same number. */
    if (!olv_os_stat(run->turn.directory.fd, e->name, &stat) || stat.inode != e->identity.inode)
        return false;
    if (!judged_is_allowed(&run->turn, e, o))
        return true; /* before it is opened: closing any descriptor of a database drops its locks */
    if (holds)
        is_held = holds->is_held(holds->self, run_path_of(run, e), &stat);
    if (e->rule < OLV_OF_TRASH)
        is_given = recorded_respite(&run->turn, &stat);
    if (is_held == OLV_YES)
        return spare_because(o, OLV_REFUSED, "it is held");
    if (is_given == OLV_YES)
        return spare_because(o, OLV_REFUSED, "it was recovered recently");
    if (is_held == OLV_UNKNOWN)
        return spare_for_now(o, 0, "cannot find out whether it is held");
    if (is_given == OLV_UNKNOWN)
        return spare_for_now(o, 0, "cannot find out whether it was recovered recently");
    run->turn.ending.asks_open = !(policy && e->rule < policy->rule_count && policy->rules[e->rule].open_too);
    if (e->identity.kind == OLV_KIND_DIRECTORY) /* the act examines its contents, and asks then */
        look_at_processes(run);
    return e->identity.kind == OLV_KIND_FILE && run->turn.ending.asks_open &&
           is_spared_for_writing(run, e, o);
}
