/* SPDX-License-Identifier: Apache-2.0 */
/* One member out of an archive in a depot, without reading the rest of it: the frame in which it begins is
 * unpacked, and those behind it as far as it goes on. The frame read last is kept, for the next member is
 * often in it as well. */
#ifndef OLV_DEPOT_VAULT_H
#define OLV_DEPOT_VAULT_H

#include "base/digest.h"
#include "olvido/codec.h"
#include "olvido/error.h"
#include "olvido/member.h"
#include "pack/tar.h"

struct vault;
struct vault *vault_new(void); /* NULL without memory */
struct vault_position {
    int fd;            /* the archive, open */
    const uint8_t *id; /* of the archive: 16 bytes, by which it is told from others */
    enum olv_codec codec;
    uint64_t begins; /* where the frame begins */
    uint64_t within; /* where in its plain bytes the header stands */
};
/* Goes to a member. The reader is the vault's own, and the member borrowed, until the next call. NULL with
 * OLV_BROKEN. */
struct tar_reader *vault_open(struct vault *vault, const struct vault_position *place,
                              struct olv_member *member, struct olv_error *err);
/* SHA-256 of the headers of the member that was opened last. */
const uint8_t *vault_header(const struct vault *vault);
void vault_free(struct vault *vault);

#endif
