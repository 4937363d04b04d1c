/* SPDX-License-Identifier: Apache-2.0 */
/* An act that nobody else knows of: it writes what its step says into an extended attribute, of whole
 * directories, too. It shows what an act needs to be: this file, and its line in table.c. */
#include "act/acts.h"
#include "os/files.h"
#include "os/os.h"
#include "policy/step_keys.h"
#include "source/judged.h"

#include <errno.h>
#include <string.h>
#include <unistd.h>

static const char NAME[] = "user.olvido-stamp";

static bool write_stamp(const struct olv_reach *at, const struct olv_docket_entry *e, struct olv_error *err)
{
    int fd = e->identity.kind == OLV_KIND_DIRECTORY ? olv_os_open_dir(at->fd, e->name, true)
                                                    : olv_os_open_file(at->fd, e->name);
    bool ok = fd >= 0 && olv_os_set_attribute(fd, NAME, e->manner->text, strlen(e->manner->text));
    if (!ok)
        olv_fail_system(err, e->name, "cannot write the stamp");
    if (fd >= 0)
        close(fd);
    return ok;
}

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    if (!judged_is_allowed(turn, e, o) || !judged_verify(turn->source.fd, e->name, e, true, o) ||
        !judged_verify_contents(turn, turn->source.fd, e->name, true, e, o))
        return;
    if (write_stamp(&turn->source, e, &o->error))
        o->result = OLV_DONE;
    else
        outcome_failed(o);
}

static enum olv_truth applied(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char is[256];
    ssize_t len = olv_os_get_attribute_of(turn->source.fd, e->name, NAME, is, sizeof is);
    o->result = OLV_DONE;
    if (len < 0)
        return errno == ENODATA ? OLV_NO : OLV_UNKNOWN;
    return (size_t)len == strlen(e->manner->text) && memcmp(is, e->manner->text, (size_t)len) == 0 ? OLV_YES
                                                                                                   : OLV_NO;
}

static const struct hooks hooks = {.apply = apply, .applied = applied};

static const struct step_key keys[] = {{"value", &step_text, true, "stamp: what it says."}, {0}};

extern const struct olv_act act_stamp;
const struct olv_act act_stamp = {.word = "stamp",
                                  .past = "stamped",
                                  .wire = 60,
                                  .traits = OLV_TOUCHES | OLV_LIMITED | OLV_WHOLE | OLV_BY_POLICY,
                                  .keys = keys,
                                  .hooks = &hooks};
