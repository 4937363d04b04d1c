/* SPDX-License-Identifier: Apache-2.0 */
/* stamp: writes what its step says into an extended attribute of a file or directory, which outlives it. */
#include "act/acts.h"
#include "os/files.h"
#include "os/os.h"
#include "source/judged.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>

static const char NAME[] = "user.olvido-stamp";

struct stamp_arguments {
    const char *value;
    int level;
};

enum { MOST_TEXT = 200, MOST_VALUE = MOST_TEXT + 20 };

/* "read at 100". */
static size_t value_of(const struct olv_docket_entry *e, char out[MOST_VALUE])
{
    const struct stamp_arguments *how = e->arguments;
    return (size_t)snprintf(out, MOST_VALUE, "%.*s at %d", MOST_TEXT, how->value, how->level);
}

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char value[MOST_VALUE];
    size_t len = value_of(e, value);
    ssize_t before;
    int fd;
    if (!judged_verify_contents(turn, turn->directory.fd, e->name, true, e, o) ||
        (fd = judged_open(&turn->directory, e, o)) < 0)
        return;
    before = olv_os_get_attribute(fd, NAME, o->before, sizeof o->before);
    o->before_len = before > 0 ? (size_t)before : 0;
    if (!olv_os_set_attribute(fd, NAME, value, len))
        olv_fail_system(&o->error, e->name, "cannot write the stamp");
    else if (judged_changed(turn, fd, &o->error))
        o->result = OLV_DONE;
    if (o->result == OLV_PENDING)
        outcome_failed(o);
    olv_os_close(fd);
}

static enum olv_truth applied(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char value[MOST_VALUE], is[MOST_VALUE];
    size_t wanted = value_of(e, value);
    ssize_t len = olv_os_get_attribute_of(turn->directory.fd, e->name, NAME, is, sizeof is);
    o->result = OLV_DONE;
    if (len < 0)
        return errno == ENODATA ? OLV_NO : OLV_UNKNOWN;
    return (size_t)len == wanted && memcmp(is, value, wanted) == 0 ? OLV_YES : OLV_NO;
}

static const struct hooks hooks = {.apply = apply, .applied = applied};

/* Named like those of other acts, and different. */
#define AT(member) offsetof(struct stamp_arguments, member)
static const struct olv_key keys[] = {{.name = "as",
                                       .type = OLV_KEY_TEXT,
                                       .at = AT(value),
                                       .by = OLV_BY_STEP,
                                       .is_required = true,
                                       .said_as = " ",
                                       .about = "What it says."},
                                      {.name = "level",
                                       .type = OLV_KEY_NUMBER,
                                       .at = AT(level),
                                       .by = OLV_BY_STEP,
                                       .least = 100,
                                       .most = 100000,
                                       .usual = "100",
                                       .about = "How high."},
                                      {0}};

const struct olv_act act_stamp = {.word = "stamp",
                                  .past = "stamped",
                                  .wire = 60,
                                  .traits = OLV_TOUCHES | OLV_LIMITED | OLV_OUTLIVED |
                                            OLV_AGAIN_IF_OTHERWISE | OLV_WHOLE,
                                  .keys = keys,
                                  .arguments = sizeof(struct stamp_arguments),
                                  .hooks = &hooks};
