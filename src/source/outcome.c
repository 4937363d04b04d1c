/* SPDX-License-Identifier: Apache-2.0 */
#include "source/outcome.h"

#include <stddef.h>
#include <stdio.h>
#include <string.h>

const char *outcome_word(const struct olv_act *act, enum olv_result result)
{
    static const char *const words[] = {[OLV_PENDING] = "failed",
                                        [OLV_LEFT] = "left",
                                        [OLV_DENIED] = "refused",
                                        [OLV_FAILED] = "failed",
                                        [OLV_UNSURE] = "unknown"};
    return result != OLV_DONE ? words[result] : act->traits & OLV_TOUCHES ? "done" : "told";
}

void outcome_begin(struct olv_outcome *o)
{
    memset(o, 0, offsetof(struct olv_outcome, trash));
    o->trash[0] = '\0';
    olv_error_clear(&o->error);
}

void outcome_remark(struct olv_outcome *o, const char *what)
{
    struct olv_error *e = &o->error;
    size_t len = o->has_remark ? strlen(e->what) : 0;
    o->has_remark = true;
    snprintf(e->what + len, sizeof e->what - len, "%s%s", len ? "; " : "", what);
}

void outcome_reason(const struct olv_outcome *o, char *out, size_t size)
{
    out[0] = '\0';
    if (o->result == OLV_DONE && !o->has_remark)
        return;
    if (o->error.sys)
        snprintf(out, size, "%s: %s", o->error.what, strerror(o->error.sys));
    else
        snprintf(out, size, "%s", o->error.what);
}

void outcome_failed(struct olv_outcome *outcome)
{
    enum olv_code code = outcome->error.code;
    if (code == OLV_CHANGED || code == OLV_INTERRUPTED)
        outcome->result = OLV_LEFT;
    else
        outcome->result = code == OLV_EXISTS || code == OLV_UNTRUSTED ? OLV_DENIED : OLV_FAILED;
}

void outcome_interrupted(struct olv_outcome *outcome)
{
    olv_fail(&outcome->error, OLV_INTERRUPTED, "interrupted before it was reached");
    outcome_failed(outcome);
}
