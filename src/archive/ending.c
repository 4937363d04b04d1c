/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/ending.h"

#include "file/reading.h"
#include "os/os.h"
#include "pack/tar.h"

#include <fcntl.h>
#include <unistd.h>

static void describe_manifest(struct olv_member *out, uint64_t length)
{
    *out = (struct olv_member){.path = ARCHIVE_MANIFEST,
                               .link = "",
                               .kind = OLV_KIND_FILE,
                               .has_owner = true,
                               .mode = 0600,
                               .owner_name = "",
                               .group_name = "",
                               .size_bytes = length,
                               .modified = {olv_os_now().s, 0},
                               .acl = "",
                               .acl_default = ""};
}

bool ending_add(struct frames *frames, struct manifest *manifest, size_t *manifest_frame,
                struct olv_error *err)
{
    struct olv_member member;
    struct frame_job *job;
    uint64_t length, at = 0;
    if (!manifest_close(manifest, frames_written(frames), err))
        return false;
    *manifest_frame = frames_written(frames)->count;
    length = manifest_length(manifest);
    describe_manifest(&member, length);
    job = frames_next(frames, err);
    if (job)
        tar_put_member(&job->plain, &member);
    while (job && at < length) {
        size_t n = length - at < FRAME_BYTES ? (size_t)(length - at) : FRAME_BYTES;
        char *room = olv_text_room(&job->plain, n);
        if (!room)
            return olv_fail_memory(err);
        if (!manifest_read(manifest, room, n, at, err))
            return false;
        job->plain.len += n;
        at += n;
        if (at < length) {
            frames_give(frames, job);
            job = frames_next(frames, err);
        }
    }
    if (!job)
        return false;
    tar_put_padding(&job->plain, length);
    tar_put_end(&job->plain);
    frames_give(frames, job);
    return frames_finish(frames, err);
}

bool ending_prove(int fd, const struct frames *frames, enum olv_codec codec, unsigned workers,
                  const struct frames_proof *proof, struct olv_error *err)
{
    struct pack_source source = {&fd, reading_source, frames_length(frames)};
    if (fsync(fd) != 0)
        return olv_fail_system(err, "", "cannot bring the archive to the disk");
    posix_fadvise(fd, 0, 0, POSIX_FADV_DONTNEED);
    return frames_prove(&source, codec, frames_written(frames), workers, proof, err);
}
