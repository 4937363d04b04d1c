/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/directories.h"

#include "base/arena.h"
#include "base/grow.h"
#include "file/identity.h"
#include "olvido/sorter.h"
#include "os/os.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct directories {
    struct olv_sorter *sorter;
    struct olv_text record;
    struct olv_arena arena;
};

struct directories *directories_new(struct olv_error *err)
{
    struct directories *d = allocate(sizeof *d, err);
    if (!d)
        return NULL;
    d->sorter = olv_sorter_new(err);
    if (d->sorter) {
        olv_sorter_reverse(d->sorter);
        return d;
    }
    free(d);
    return NULL;
}

void directories_free(struct directories *d)
{
    if (!d)
        return;
    olv_sorter_free(d->sorter);
    olv_text_free(&d->record);
    olv_arena_free(&d->arena);
    free(d);
}

/* A record: the path, the directory's identity, the fixed part of the member, both lists, and each attribute
 * with its length. */
bool directories_add(struct directories *d, const char *path, const struct olv_stat *made,
                     const struct olv_member *m, struct olv_error *err)
{
    struct olv_identity identity = olv_identity_of(made);
    struct olv_text *r = &d->record;
    olv_text_clear(r);
    olv_text_add(r, path, strlen(path) + 1);
    olv_text_add(r, &identity, sizeof identity);
    olv_text_add(r, m, sizeof *m);
    olv_text_add(r, m->acl, strlen(m->acl) + 1);
    olv_text_add(r, m->acl_default, strlen(m->acl_default) + 1);
    for (size_t i = 0; i < m->attribute_count; i++) {
        const struct olv_member_attribute *a = &m->attributes[i];
        olv_text_add(r, a->name, strlen(a->name) + 1);
        olv_text_add(r, &a->len, sizeof a->len);
        olv_text_add(r, a->value, a->len);
    }
    if (r->failed)
        return olv_fail_memory(err);
    return olv_sorter_add(d->sorter, (struct olv_sorted){{0, 0}, r->data, r->len}, err);
}

static bool read_attributes(struct directories *d, const char *at, struct olv_member *m)
{
    struct olv_member_attribute *list = olv_arena_alloc(&d->arena, (m->attribute_count + 1) * sizeof *list);
    for (size_t i = 0; list && i < m->attribute_count; i++) {
        list[i].name = at;
        at += strlen(at) + 1;
        memcpy(&list[i].len, at, sizeof list[i].len);
        at += sizeof list[i].len;
        list[i].value = at;
        at += list[i].len;
    }
    m->attributes = list;
    return list != NULL;
}

static bool directories_give(int fd, const struct olv_identity *identity, const struct olv_member *m,
                             const struct restore_options *o, struct olv_error *err)
{
    struct olv_stat stat;
    if (!olv_os_stat(fd, "", &stat))
        return olv_fail_system(err, "", "cannot look at the directory again");
    if (!olv_identity_is(identity, &stat))
        return olv_fail(err, OLV_CHANGED, "another directory is in its place");
    return restore_attributes(fd, m, o, err) &&
           (fsync(fd) == 0 || olv_fail_system(err, "", "cannot sync the directory"));
}

static bool finish_one(struct directories *d, int top, const char *path, const struct restore_options *o,
                       struct olv_error *err)
{
    struct olv_identity identity;
    struct olv_member m;
    const char *at = path + strlen(path) + 1;
    int fd;
    bool ok;
    olv_arena_free(&d->arena);
    memcpy(&identity, at, sizeof identity);
    at += sizeof identity;
    memcpy(&m, at, sizeof m);
    m.acl = at + sizeof m;
    m.acl_default = m.acl + strlen(m.acl) + 1;
    if (!read_attributes(d, m.acl_default + strlen(m.acl_default) + 1, &m))
        return olv_fail_memory(err);
    fd = olv_os_open_dir(top, *path ? path : ".", false);
    if (fd < 0)
        return olv_fail_system(err, "", "cannot open the directory again");
    ok = directories_give(fd, &identity, &m, o, err);
    close(fd);
    return ok;
}

bool directories_finish(struct directories *d, int top, const struct restore_options *o,
                        void (*failed)(void *self, const char *path, const struct olv_error *why), void *self,
                        struct olv_error *err)
{
    struct olv_sorted record;
    while (olv_sorter_next(d->sorter, &record, err)) {
        struct olv_error why = {0};
        if (!finish_one(d, top, record.bytes, o, &why))
            failed(self, record.bytes, &why);
    }
    return err->code == OLV_OK;
}
