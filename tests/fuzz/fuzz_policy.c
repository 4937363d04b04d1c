/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as a policy: it is read or refused with at least one complaint, and what was read can judge. */
#include "fuzz.h"
#include "judge/decide.h"

#include <fcntl.h>
#include <unistd.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static char path[] = "/tmp/olvido-fuzz-XXXXXX";
    static int fd = -1;
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    struct olv_policy *policy;
    if (fd < 0 && ((fd = mkstemp(path)) < 0 || atexit(fuzz_tidy) != 0))
        abort();
    fuzz_temporary = path;
    if (ftruncate(fd, 0) < 0 || pwrite(fd, data, size, 0) != (ssize_t)size)
        abort();
    policy = olv_policy_load(path, &list, &err);
    must(policy || list.errors > 0 || err.code != OLV_OK);
    must(!policy || list.errors == 0);
    if (policy) {
        struct olv_instant now = {1800000000, 0};
        struct olv_decider *decider = olv_decider_new(policy, now, now);
        must(decider);
        for (uint32_t i = 0; i < policy->rule_count; i++)
            for (uint32_t k = 0; k < policy->rules[i].step_count; k++) {
                struct olv_instant when;
                if (olv_decider_step_time(decider, i, k, now, &when))
                    must(olv_instant_compare(when, now) >= 0);
            }
        olv_decider_free(decider);
    }
    olv_policy_free(policy);
    olv_diagnostics_free(&list);
    return 0;
}
