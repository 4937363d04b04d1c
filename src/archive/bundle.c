/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/bundle.h"

#include "olvido/accounts.h"
#include "os/reading.h"
#include "pack/tar.h"
#include "pack/zip_frame.h"

#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* The system's account lookups are not thread-safe. */
static pthread_mutex_t accounts = PTHREAD_MUTEX_INITIALIZER;

void bundle_member_path(const struct olv_docket_entry *e, struct olv_text *out)
{
    const char *directory = e->directory + strspn(e->directory, "/");
    olv_text_puts(out, directory);
    olv_text_puts(out, *directory ? "/" : "");
    olv_text_puts(out, e->name);
}

/* ---- collecting ---- */

static const char *keep(struct bundle *b, const char *string)
{
    return olv_arena_copy(&b->arena, string, strlen(string));
}

uint64_t bundle_space(const struct olv_docket_entry *e)
{
    return e->identity.size_bytes + BUNDLE_ENTRY_OVERHEAD + strlen(e->directory) + strlen(e->name);
}

bool bundle_add(struct bundle *b, const struct olv_docket_entry *e, uint64_t sequence, const char *hard_link)
{
    struct bundle_item *last = b->count ? &b->items[b->count - 1] : NULL, *item = &b->items[b->count];
    struct olv_text path = {0};
    *item = (struct bundle_item){.entry = *e, .sequence = sequence};
    bundle_member_path(e, &path);
    item->path = path.failed ? NULL : keep(b, path.data);
    olv_text_free(&path);
    item->entry.directory = last && strcmp(last->entry.directory, e->directory) == 0 ? last->entry.directory
                                                                                     : keep(b, e->directory);
    item->entry.name = keep(b, e->name);
    item->hard_link = hard_link ? keep(b, hard_link) : NULL;
    item->entry.rule_name = item->entry.target = "";
    b->count++;
    b->bytes += bundle_space(e);
    return item->path && item->entry.directory && item->entry.name && (!hard_link || item->hard_link);
}

void bundle_clear(struct bundle *b)
{
    olv_arena_free(&b->arena);
    b->count = 0;
    b->bytes = 0;
}

/* ---- a worker's part ---- */

static const char *name_of(struct bundle_names *cache, uint32_t id, void (*look)(uint32_t, char *, size_t))
{
    char digits[16];
    if (!cache->is_known || cache->id != id) {
        pthread_mutex_lock(&accounts);
        look(id, cache->name, sizeof cache->name);
        pthread_mutex_unlock(&accounts);
        snprintf(digits, sizeof digits, "%u", id);
        if (strcmp(digits, cache->name) == 0)
            cache->name[0] = '\0'; /* the number stands alone */
        cache->id = id;
        cache->is_known = true;
    }
    return cache->name;
}

bool bundle_name_owner(struct bundle_worker *w, struct olv_member *m, struct olv_arena *arena)
{
    const char *user = name_of(&w->user, m->owner, olv_user_name);
    const char *group = name_of(&w->group, m->group, olv_group_name);
    m->owner_name = *user ? olv_arena_copy(arena, user, strlen(user)) : "";
    m->group_name = *group ? olv_arena_copy(arena, group, strlen(group)) : "";
    return m->owner_name && m->group_name;
}

static bool read_extent(const struct taking *t, struct olv_text *out, uint64_t at, uint64_t length,
                        struct olv_error *err)
{
    char *room = olv_text_room(out, (size_t)length);
    if (!room)
        return olv_fail_memory(err);
    if (!reading_at(t->fd, room, (size_t)length, at, err))
        return false;
    out->len += (size_t)length;
    return true;
}

/* The digest covers the whole contents, with holes as zeros. */
static void digest_sparse(struct bundle_worker *w, struct bundle_item *item, const struct olv_member *m,
                          const char *data)
{
    olv_hasher_begin(w->hasher);
    for (size_t i = 0; i < m->extent_count; i++) {
        const struct olv_extent *x = &m->extents[i];
        olv_hasher_fill(w->hasher, x->at);
        olv_hasher_add(w->hasher, data, (size_t)x->length);
        data += x->length;
    }
    olv_hasher_fill(w->hasher, m->size_bytes);
    olv_hasher_end(w->hasher, item->digest);
    item->has_digest = true;
}

static bool read_data(const struct taking *t, struct bundle_worker *w, struct bundle_item *item,
                      struct olv_text *out, struct olv_error *err)
{
    const struct olv_member *m = &t->member;
    size_t begin = out->len;
    if (t->early && !m->is_sparse)
        olv_text_add(out, t->early, (size_t)m->size_bytes);
    else if (!m->is_sparse && !read_extent(t, out, 0, m->size_bytes, err))
        return false;
    for (size_t i = 0; m->is_sparse && i < m->extent_count; i++)
        if (!read_extent(t, out, m->extents[i].at, m->extents[i].length, err))
            return false;
    if (m->is_sparse)
        digest_sparse(w, item, m, out->data + begin);
    item->is_plain = !m->is_sparse;
    item->data_at = begin;
    item->data_len = out->len - begin;
    return true;
}

static bool put_data(struct frame_job *job, struct bundle_worker *w, struct bundle_item *item,
                     const struct taking *t, struct olv_error *err)
{
    const struct olv_member *m = &t->member;
    struct olv_text *out = &job->plain;
    job->data_at = out->len;
    if (m->kind == OLV_KIND_FILE && !m->is_hard_link && !read_data(t, w, item, out, err))
        return false;
    frame_job_end(job, true, true);
    tar_put_padding(out, job->data_len);
    return true;
}

static bool bundle_put(struct bundle *b, struct bundle_worker *w, struct bundle_item *item, struct taking *t,
                       struct frame_job *job, struct olv_error *err)
{
    struct olv_text *out = &job->plain;
    size_t begin = out->len;
    struct olv_member *m = &t->member;
    if (!bundle_name_owner(w, m, &b->arena))
        return olv_fail_memory(err);
    m->is_hard_link = item->hard_link != NULL;
    if (item->hard_link) {
        m->link = item->hard_link;
        m->size_bytes = 0;
        m->is_sparse = false;
    }
    m->is_sparse &= !b->is_zip; /* zip has no holes */
    tar_put_member(out, m);
    item->header_len = out->len - begin;
    if (b->is_zip && !out->failed &&
        !zip_put_local(&job->head, m, out->data + begin, out->len - begin, false, err))
        return false;
    if (!put_data(job, w, item, t, err))
        return false;
    item->member = *m;
    item->has_member = true;
    item->was = t->was;
    item->was_bytes = t->was_bytes;
    return take_is_unchanged(t, w->reach.fd, &item->entry, err);
}

static const struct olv_error *why_not(struct bundle *b, const struct olv_error *err)
{
    static const struct olv_error no_memory = {.code = OLV_MEMORY, .what = "memory ran out"};
    struct olv_error *copy = olv_arena_alloc(&b->arena, sizeof *copy);
    if (copy)
        *copy = *err;
    return copy ? copy : &no_memory;
}

static void take_one(struct bundle *b, struct bundle_worker *w, struct bundle_item *item,
                     struct frame_job *job)
{
    struct taking t = {.fd = -1};
    struct olv_text *out = &job->plain;
    size_t begin = out->len;
    struct olv_error err;
    bool ok;
    w->room.arena = &b->arena;
    olv_error_clear(&err);
    item->at = begin;
    if (olv_observe_interrupted(b->observer))
        ok = olv_fail(&err, OLV_INTERRUPTED, "interrupted before it was reached");
    else
        ok = olv_reach_directory(&w->reach, &item->entry, &err) &&
             take_begin(&t, w->reach.fd, &item->entry, item->path, &w->room, &err) &&
             bundle_put(b, w, item, &t, job, &err);
    take_end(&t);
    if (ok)
        return;
    item->error = why_not(b, &err);
    if (out->data)
        out->len = begin;
    item->has_member = item->has_digest = item->is_plain = false;
}

/* All headers at once. */
static void digest_headers(struct bundle *b, struct bundle_worker *w, const struct olv_text *plain)
{
    size_t count = 0;
    for (size_t i = 0; i < b->count && !plain->failed; i++) {
        struct bundle_item *item = &b->items[i];
        if (item->has_member)
            b->pieces[count++] =
                (struct many_piece){olv_text_string(plain) + item->at, item->header_len, item->header};
    }
    many_sha256(w->many, b->pieces, count);
}

/* When all contents are read, many small ones are hashed side by side. */
static void digest_plain(struct bundle *b, struct bundle_worker *w, const struct olv_text *plain)
{
    size_t count = 0;
    for (size_t i = 0; i < b->count && !plain->failed; i++) {
        struct bundle_item *item = &b->items[i];
        if (!item->is_plain)
            continue;
        b->pieces[count++] =
            (struct many_piece){olv_text_string(plain) + item->data_at, item->data_len, item->digest};
        item->has_digest = true;
    }
    many_sha256(w->many, b->pieces, count);
}

bool bundle_fill(struct frame_job *job, unsigned worker)
{
    struct bundle *b = job->context;
    for (size_t i = 0; i < b->count; i++)
        take_one(b, &b->workers[worker], &b->items[i], job);
    digest_headers(b, &b->workers[worker], &job->plain);
    digest_plain(b, &b->workers[worker], &job->plain);
    return true;
}
