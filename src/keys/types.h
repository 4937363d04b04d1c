/* SPDX-License-Identifier: Apache-2.0 */
/* One row for each type of key. A member is what the key's offset leads to in the act's struct. */
#ifndef OLV_KEYS_TYPES_H
#define OLV_KEYS_TYPES_H

#include "keys/keys.h"

struct key_type {
    bool (*read)(const struct olv_key *key, const char *text, size_t len, void *member,
                 struct olv_arena *arena, struct key_fault *fault);
    void (*spell)(const struct olv_key *key, const void *member, struct olv_text *out);
    void (*put)(const void *member, struct olv_text *out);
    void (*get)(const struct olv_key *key, struct wire *wire, void *member);
    void (*schema)(const struct olv_key *key, struct olv_text *out);
};

extern const struct key_type key_types[OLV_KEY_TYPES];

#endif
