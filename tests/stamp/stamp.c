/* SPDX-License-Identifier: Apache-2.0 */
/* An act that nobody else knows of: it writes what its step says into an extended attribute, of whole
 * directories, too. It shows what an act needs to be: this file, and its line in table.c. */
#include "act/acts.h"
#include "os/files.h"
#include "os/os.h"
#include "source/judged.h"

#include <errno.h>
#include <string.h>
#include <unistd.h>

static const char NAME[] = "user.olvido-stamp";

struct stamp_arguments {
    const char *value;
    int level;
};

static const char *value_of(const struct olv_docket_entry *e)
{
    return ((const struct stamp_arguments *)e->arguments)->value;
}

static bool write_stamp(const struct olv_reach *at, const struct olv_docket_entry *e, struct olv_error *err)
{
    int fd = e->identity.kind == OLV_KIND_DIRECTORY ? olv_os_open_dir(at->fd, e->name, true)
                                                    : olv_os_open_file(at->fd, e->name);
    bool ok = fd >= 0 && olv_os_set_attribute(fd, NAME, value_of(e), strlen(value_of(e)));
    if (!ok)
        olv_fail_system(err, e->name, "cannot write the stamp");
    if (fd >= 0)
        close(fd);
    return ok;
}

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    if (!judged_is_allowed(turn, e, o) || !judged_verify(turn->directory.fd, e->name, e, true, o) ||
        !judged_verify_contents(turn, turn->directory.fd, e->name, true, e, o))
        return;
    if (write_stamp(&turn->directory, e, &o->error))
        o->result = OLV_DONE;
    else
        outcome_failed(o);
}

static enum olv_truth applied(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char is[256];
    ssize_t len = olv_os_get_attribute_of(turn->directory.fd, e->name, NAME, is, sizeof is);
    o->result = OLV_DONE;
    if (len < 0)
        return errno == ENODATA ? OLV_NO : OLV_UNKNOWN;
    return (size_t)len == strlen(value_of(e)) && memcmp(is, value_of(e), (size_t)len) == 0 ? OLV_YES : OLV_NO;
}

static const struct hooks hooks = {.apply = apply, .applied = applied};

/* Named like those of compress, and others. */
static const struct olv_key keys[] = {{.name = "as",
                                       .type = OLV_KEY_TEXT,
                                       .at = offsetof(struct stamp_arguments, value),
                                       .by = OLV_BY_STEP,
                                       .is_required = true,
                                       .said_as = " ",
                                       .about = "What it says."},
                                      {.name = "level",
                                       .type = OLV_KEY_NUMBER,
                                       .at = offsetof(struct stamp_arguments, level),
                                       .by = OLV_BY_STEP,
                                       .least = 100,
                                       .most = 100000,
                                       .usual = "100",
                                       .about = "How high."},
                                      {0}};

extern const struct olv_act act_stamp;
const struct olv_act act_stamp = {.word = "stamp",
                                  .past = "stamped",
                                  .wire = 60,
                                  .traits = OLV_TOUCHES | OLV_LIMITED | OLV_WHOLE | OLV_BY_POLICY,
                                  .keys = keys,
                                  .arguments = sizeof(struct stamp_arguments),
                                  .hooks = &hooks};
