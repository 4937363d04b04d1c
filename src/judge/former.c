/* SPDX-License-Identifier: Apache-2.0 */
#include "judge/former.h"

#include <string.h>

static bool is_unchanged(const struct olv_had *a, const struct olv_had *b)
{
    return a->size_bytes == b->size_bytes && olv_instant_compare(a->modified, b->modified) == 0;
}

enum olv_truth former_recorded(struct olv_register *reg, const char *path, const struct olv_stat *stat,
                               struct origin *out, struct olv_error *err)
{
    enum olv_truth found = OLV_NO;
    for (size_t i = 0; reg && found == OLV_NO && olv_acts[i]; i++) {
        struct olv_had wanted = olv_had_of(path, stat, olv_acts[i]), had;
        if (!(olv_acts[i]->traits & OLV_FORMER))
            continue;
        found = olv_register_find_had(reg, &wanted, &had, err);
        if (found == OLV_YES &&
            !(is_unchanged(&wanted, &had) && origin_unpack(had.before, had.before_len, had.act, out)))
            found = OLV_NO;
    }
    return found;
}

/* Asks with the file's path, one thread at a time. */
struct question {
    const struct former_file *file;
    const struct olv_step *step; /* whether it has had that; NULL: what it was, which `origin` gets */
    struct origin *origin;
};

static enum olv_truth has_had(const struct question *q, const char *path, struct olv_error *err)
{
    const struct olv_act *act = q->step->act;
    struct olv_had wanted = olv_had_of(path, q->file->stat, act), had;
    enum olv_truth found = olv_register_find_had(q->file->reg, &wanted, &had, err);
    bool is_again =
        found == OLV_YES && ((act->traits & OLV_AGAIN_IF_CHANGED && !is_unchanged(&wanted, &had)) ||
                             (act->traits & OLV_AGAIN_IF_OTHERWISE &&
                              memcmp(q->step->digest, had.arguments, sizeof had.arguments) != 0));
    return is_again ? OLV_NO : found;
}

static bool ask_register(const struct question *q)
{
    const struct former_file *p = q->file;
    struct olv_text path = {0};
    struct olv_error err = {0};
    enum olv_truth found = OLV_UNKNOWN;
    if (!p->reg)
        return false;
    if (!p->path(p->self, &path) || path.failed)
        olv_fail_memory(&err);
    pthread_mutex_lock(&p->asking->lock);
    if (err.code == OLV_OK)
        found = q->step ? has_had(q, path.data, &err)
                        : former_recorded(p->reg, path.data, p->stat, q->origin, &err);
    if (found == OLV_UNKNOWN && p->asking->error.code == OLV_OK)
        p->asking->error = err;
    pthread_mutex_unlock(&p->asking->lock);
    olv_text_free(&path);
    return found == OLV_YES;
}

bool former_is_likely(const char *name)
{
    return olv_codec_of_name(name) != OLV_CODEC_NONE;
}

void former_find(struct former *f, const struct former_file *p)
{
    f->is_known =
        former_is_likely(p->name) && (origin_read(p->dir, p->name, p->stat, p->notes, &f->origin) ||
                                      ask_register(&(struct question){.file = p, .origin = &f->origin}));
    if (!f->is_known)
        return;
    f->stat = *p->stat;
    f->stat.size_bytes = f->origin.size_bytes;
}

bool former_has_had(const struct former *f, const struct former_file *p, const struct olv_step *step)
{
    if (f && f->is_known && f->origin.act == step->act)
        return true;
    return step->act->destination == OLV_STAYS && ask_register(&(struct question){.file = p, .step = step});
}
