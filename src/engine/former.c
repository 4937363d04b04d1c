/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/former.h"

#include "depot/had.h"
#include "olvido/codec.h"

static bool ask_catalogue(const struct former_place *p, const struct olv_act *act, struct origin *out)
{
    struct catalogue_had had = {
        .act = act, .size_bytes = p->stat->size_bytes, .modified = p->stat->modified, .was_name = ""};
    struct olv_text path = {0};
    bool is_found = false;
    if (!p->catalogue)
        return false;
    if (p->path(p->self, &path) && !path.failed) {
        had.path = olv_text_string(&path);
        if (p->lock)
            pthread_mutex_lock(p->lock);
        is_found = catalogue_find_had(p->catalogue, &had, out->name, &out->size_bytes);
        if (p->lock)
            pthread_mutex_unlock(p->lock);
    }
    olv_text_free(&path);
    out->act = had.act;
    return is_found;
}

static bool is_likely(const char *name)
{
    return olv_codec_of_name(name) != OLV_CODEC_NONE;
}

static void find(struct former *f, const struct former_place *p)
{
    f->is_known = is_likely(p->name) && (origin_read(p->dir, p->name, p->stat, p->notes, &f->origin) ||
                                         ask_catalogue(p, NULL, &f->origin));
    if (!f->is_known)
        return;
    f->stat = *p->stat;
    f->stat.size_bytes = f->origin.size_bytes;
}

static bool has_had(const struct former *f, const struct former_place *p, const struct olv_act *act)
{
    struct origin ignored;
    if (f->is_known)
        return f->origin.act == act;
    return act->destination == OLV_STAYS && ask_catalogue(p, act, &ignored);
}

const struct formers engine_formers = {.is_likely = is_likely, .find = find, .has_had = has_had};
