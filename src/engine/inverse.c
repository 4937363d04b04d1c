/* SPDX-License-Identifier: Apache-2.0 */
#include "file/identity.h"
#include "olvido/ledger.h"
#include "olvido/path.h"
#include "olvido/session.h"
#include "os/os.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

struct inverting {
    const struct olv_session *session;
    struct olv_composing composing;
    void (*each)(void *self, const struct olv_inverse *inverse, const struct olv_stat *stat);
    void *self;
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
                                 .target = inverse->original};
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

static bool invert(void *self, const struct olv_ledger_record *r)
{
    struct inverting *x = self;
    const struct olv_act *act = olv_act_named(r->act);
    struct olv_inverse inverse;
    return !act || !act->inverse || strcmp(r->result, "done") != 0 || !act->inverse(r, &inverse) ||
           compose(x, &inverse);
}

bool olv_session_take_back(const struct olv_session *session, const char *run, struct olv_spool *docket,
                           void (*each)(void *self, const struct olv_inverse *inverse,
                                        const struct olv_stat *stat),
                           void *self, struct olv_error *err)
{
    struct inverting x = {.session = session, .each = each, .self = self};
    const struct olv_ledger_query query = {.kind = "outcome", .run = run};
    bool ok;
    olv_compose_begin(&x.composing, docket, NULL);
    ok = olv_ledger_search(session->options.state, &query, invert, &x, err) || err->sys == ENOENT;
    if (ok)
        *err = x.error;
    ok = ok && x.error.code == OLV_OK && (!docket || olv_compose_end(&x.composing, err));
    olv_compose_abandon(&x.composing);
    return ok;
}
