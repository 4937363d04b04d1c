/* SPDX-License-Identifier: Apache-2.0 */
#include "depot/unpacked.h"

#include "os/reading.h"

/* Both have room for it. */
static bool unpack(int fd, const struct frame *f, struct decoder *decoder, char *packed, char *plain,
                   struct olv_error *err)
{
    if (!decoder)
        return reading_at(fd, plain, f->plain_length, f->at, err);
    return reading_at(fd, packed, f->length, f->at, err) &&
           (decoder_frame(decoder, packed, f->length, plain, f->plain_length) == (long)f->plain_length ||
            olv_fail(err, OLV_BROKEN, "a frame cannot be decoded"));
}

bool unpacked_frame(int fd, const struct frame *f, struct decoder *decoder, struct olv_text *packed,
                    struct olv_text *plain, struct olv_error *err)
{
    char *to = olv_text_room(plain, f->plain_length), *from;
    olv_text_clear(packed);
    from = decoder ? olv_text_room(packed, f->length) : NULL;
    if (!to || (decoder && !from))
        return olv_fail_memory(err);
    if (!unpack(fd, f, decoder, from, to, err))
        return false;
    if (frame_check(to, f->plain_length) != f->check)
        return olv_fail(err, OLV_BROKEN, "a frame is not what was written");
    plain->len += f->plain_length;
    return true;
}
