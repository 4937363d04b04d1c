/* SPDX-License-Identifier: Apache-2.0 */
/* Reads one member of an archive in a depot without reading the rest: unpacks the frame where it begins, and
 * further ones as needed. Keeps the last frame, because the next member is often in it. */
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
    const uint8_t *id; /* of the archive: 16 bytes, unique */
    enum olv_codec codec;
    uint64_t begins; /* where the frame begins */
    uint64_t within; /* offset of the header in its unpacked bytes */
};
/* Goes to a member. The reader belongs to the vault, and the member is valid until the next call. NULL with
 * OLV_BROKEN. */
struct tar_reader *vault_open(struct vault *vault, const struct vault_position *place,
                              struct olv_member *member, struct olv_error *err);
/* SHA-256 of the headers of the last member opened. */
const uint8_t *vault_header(const struct vault *vault);
void vault_free(struct vault *vault);

#endif
