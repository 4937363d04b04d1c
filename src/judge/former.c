/* SPDX-License-Identifier: Apache-2.0 */
#include "judge/former.h"

#include "olvido/policy.h"

static bool ask_register(const struct former_file *p, const struct olv_act *act, struct origin *out)
{
    struct olv_had had = {
        .act = act, .size_bytes = p->stat->size_bytes, .modified = p->stat->modified, .was_name = ""};
    struct olv_text path = {0};
    struct olv_error err = {0};
    enum olv_truth found;
    if (!p->reg)
        return false;
    if (!p->path(p->self, &path) || path.failed)
        olv_fail_memory(&err);
    had.path = olv_text_string(&path);
    pthread_mutex_lock(&p->asking->lock);
    found = err.code == OLV_OK ? olv_register_find_had(p->reg, &had, out->name, &out->size_bytes, &err)
                               : OLV_UNKNOWN;
    if (found == OLV_UNKNOWN && p->asking->error.code == OLV_OK)
        p->asking->error = err;
    pthread_mutex_unlock(&p->asking->lock);
    olv_text_free(&path);
    out->act = had.act;
    return found == OLV_YES;
}

bool former_is_likely(const char *name)
{
    return olv_codec_of_name(name) != OLV_CODEC_NONE;
}

void former_find(struct former *f, const struct former_file *p)
{
    f->is_known = former_is_likely(p->name) && (origin_read(p->dir, p->name, p->stat, p->notes, &f->origin) ||
                                                ask_register(p, NULL, &f->origin));
    if (!f->is_known)
        return;
    f->stat = *p->stat;
    f->stat.size_bytes = f->origin.size_bytes;
}

bool former_has_had(const struct former *f, const struct former_file *p, const struct olv_act *act)
{
    struct origin ignored;
    if (f->is_known)
        return f->origin.act == act;
    return act->destination == OLV_STAYS && ask_register(p, act, &ignored);
}
