/* SPDX-License-Identifier: Apache-2.0 */
#ifndef OLV_SEAL_KEY_H
#define OLV_SEAL_KEY_H

#include "seal/seal.h"

#include <openssl/evp.h>

enum { KEY_ID_SIZE = 4, ED25519_KEY_SIZE = 32, ED25519_SIGNATURE_SIZE = 64 };

struct olv_key {
    EVP_PKEY *pkey;
    char origin[ORIGIN_SIZE];
    uint8_t id[KEY_ID_SIZE]; /* of the signed-note format: the first bytes of SHA-256(origin, newline, 1,
                                public key) */
};

#endif
