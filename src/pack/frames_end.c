/* SPDX-License-Identifier: Apache-2.0 */
#include "pack/frames.h"
#include "pack/zip_frame.h"

#include <stdlib.h>

static bool take_frame(struct zip_directory *d, const struct pack_source *source, const struct frame *f,
                       struct frame_job *job, struct olv_error *err)
{
    char *room;
    olv_text_clear(&job->packed);
    room = olv_text_room(&job->packed, f->length);
    if (!room)
        return olv_fail_memory(err);
    if (!pack_read(source, room, f->length, f->at, err))
        return false;
    job->packed.len = f->length;
    return zip_directory_take(d, job, f->at, err);
}

static bool put_directory(const struct pack_source *source, const struct frame_list *list,
                          struct olv_text *out, struct olv_error *err)
{
    struct zip_directory *d = zip_directory_new();
    const struct frame *last = list->count ? &list->items[list->count - 1] : NULL;
    struct frame_job job = {.is_copy = true};
    bool ok = d || olv_fail_memory(err);
    for (size_t i = 0; ok && i < list->count; i++)
        ok = take_frame(d, source, &list->items[i], &job, err);
    if (ok)
        zip_directory_end(d, last ? last->at + last->length : 0, out);
    olv_text_free(&job.packed);
    zip_directory_free(d);
    return ok;
}

bool frames_end(const struct pack_source *source, enum olv_codec codec, const struct frame_list *list,
                struct olv_text *out, struct olv_error *err)
{
    if (codec == OLV_CODEC_ZSTD)
        seek_table_put(list, out);
    else if (codec == OLV_CODEC_ZIP && !put_directory(source, list, out, err))
        return false;
    return !out->failed || olv_fail_memory(err);
}
