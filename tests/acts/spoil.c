/* SPDX-License-Identifier: Apache-2.0 */
/* spoil: writes zeros over a file, as often as its step says, and then ends it; a directory from the bottom
 * up. The places do the rest. */
#include "act/acts.h"
#include "source/ending.h"

#include <string.h>
#include <unistd.h>

struct spoil_arguments {
    int passes;
};

static bool overwrite(const void *arguments, int fd, uint64_t bytes, const struct olv_observer *observer,
                      struct olv_error *err)
{
    char zeros[4096] = {0};
    const struct spoil_arguments *how = arguments;
    for (int pass = 0; pass < how->passes; pass++)
        for (uint64_t at = 0; at < bytes;) {
            size_t len = bytes - at < sizeof zeros ? (size_t)(bytes - at) : sizeof zeros;
            ssize_t put = pwrite(fd, zeros, len, (off_t)at);
            if (put <= 0)
                return olv_fail_system(err, "", "cannot overwrite it");
            at += (uint64_t)put;
            if (olv_observe_interrupted(observer))
                return olv_fail(err, OLV_INTERRUPTED, "interrupted: a part of it was overwritten");
        }
    return true;
}

static const struct manner manner = {overwrite};

static const struct olv_key keys[] = {{.name = "passes",
                                       .type = OLV_KEY_NUMBER,
                                       .at = offsetof(struct spoil_arguments, passes),
                                       .by = OLV_BY_STEP,
                                       .least = 1,
                                       .most = 9,
                                       .usual = "1",
                                       .said_as = " with passes ",
                                       .about = "How often it is overwritten."},
                                      {0}};

const struct olv_act act_spoil = {.word = "spoil",
                                  .past = "spoilt",
                                  .wire = 62,
                                  .traits = OLV_TOUCHES | OLV_FINAL | OLV_LIMITED | OLV_WHOLE | OLV_IN_STORES,
                                  .destination = OLV_TO_NOWHERE,
                                  .order = OLV_BOTTOM_UP,
                                  .keys = keys,
                                  .arguments = sizeof(struct spoil_arguments),
                                  .manner = &manner,
                                  .way = OLV_END};
