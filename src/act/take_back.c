/* SPDX-License-Identifier: Apache-2.0 */
/* take-back: the inverse of acts that made a copy. The copy goes, if the original (the entry's target) still
 * has the same contents; so nothing is lost. */
#include "act/acts.h"
#include "os/files.h"
#include "os/os.h"
#include "source/destination.h"
#include "source/ending.h"
#include "source/judged.h"

#include <string.h>

static bool is_same_data(const struct turn *turn, int a, int b, struct olv_error *err)
{
    enum { PIECE = 65536 };
    char here[PIECE], there[PIECE];
    ssize_t got = 1, other;
    for (off_t at = 0; got > 0; at += got) {
        if (olv_observe_interrupted(turn->session->options.observer))
            return olv_fail(err, OLV_INTERRUPTED, "interrupted");
        got = pread(a, here, sizeof here, at);
        other = got < 0 ? got : pread(b, there, sizeof there, at);
        if (other < 0)
            return olv_fail_system(err, "", "cannot compare it with its original");
        if (other != got || memcmp(here, there, (size_t)got) != 0)
            return olv_fail(err, OLV_CHANGED, "it differs from its original by now, so it stays");
    }
    return true;
}

/* What is gone is no error; what cannot be looked at is. */
static int open_original(const struct olv_docket_entry *e, struct olv_stat *stat, struct olv_error *err)
{
    const char *name;
    int dir = destination_open(e->target, &name, err);
    int fd = dir >= 0 ? olv_os_open_file(dir, name) : -1;
    if (dir >= 0 && (fd < 0 || !olv_os_stat(fd, "", stat))) {
        olv_fail_system(err, e->target, "cannot look at its original");
        olv_os_close(fd);
        fd = -1;
    }
    olv_os_close(dir);
    if (fd < 0 && olv_os_is_absent(err->sys))
        olv_fail(err, OLV_CHANGED, "its original is gone, so it stays");
    return fd;
}

static bool original_stands(const struct turn *turn, const struct olv_docket_entry *e, int fd,
                            struct olv_error *err)
{
    struct olv_stat own, other;
    int original = open_original(e, &other, err);
    bool ok = original >= 0 && (olv_os_stat(fd, "", &own) || olv_fail_system(err, "", "cannot look at it"));
    if (ok && (other.kind != OLV_KIND_FILE || (own.device == other.device && own.inode == other.inode)))
        ok = olv_fail(err, OLV_CHANGED, "its original is not another file any more, so it stays");
    ok = ok && is_same_data(turn, fd, original, err);
    olv_os_close(original);
    return ok;
}

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    int fd = judged_open(&turn->directory, e, o);
    if (fd < 0)
        return;
    if (!original_stands(turn, e, fd, &o->error))
        outcome_failed(o);
    else if (ending_end(turn, &turn->directory, e, o))
        o->result = OLV_DONE;
    olv_os_close(fd);
}

static const struct hooks hooks = {.needs = NEEDS_NOTE, .apply = apply, .applied = ending_applied};

const struct olv_act act_take_back = {.word = "take-back",
                                      .past = "taken back",
                                      .wire = 15,
                                      .traits = OLV_TOUCHES | OLV_BY_HAND_ONLY,
                                      .destination = OLV_TO_NOWHERE,
                                      .hooks = &hooks};
