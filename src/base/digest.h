/* SPDX-License-Identifier: Apache-2.0 */
/* SHA-256 (FIPS 180-4), random bytes, and two encodings: hexadecimal and base64 (RFC 4648). */
#ifndef OLV_BASE_DIGEST_H
#define OLV_BASE_DIGEST_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum { OLV_SHA256_SIZE = 32, OLV_HEX_SIZE = 65 };

/* Reusable, by one thread at a time. */
struct olv_hasher;
struct olv_hasher *olv_hasher_new(void); /* NULL without memory; free with olv_hasher_free */
void olv_hasher_free(struct olv_hasher *hasher);
void olv_hasher_begin(struct olv_hasher *hasher);
void olv_hasher_add(struct olv_hasher *hasher, const void *bytes, size_t len);
/* How many bytes were added so far. */
uint64_t olv_hasher_length(const struct olv_hasher *hasher);
/* Adds zeros up to this length: the hole of a file. */
void olv_hasher_fill(struct olv_hasher *hasher, uint64_t length);
/* The digest of what was added so far; more may be added. */
void olv_hasher_look(const struct olv_hasher *hasher, uint8_t out[OLV_SHA256_SIZE]);
void olv_hasher_end(struct olv_hasher *hasher, uint8_t out[OLV_SHA256_SIZE]);
void olv_sha256(struct olv_hasher *hasher, const void *bytes, size_t len, uint8_t out[OLV_SHA256_SIZE]);
/* The same for a few bytes, without a hasher. */
void olv_sha256_once(const void *bytes, size_t len, uint8_t out[OLV_SHA256_SIZE]);

/* HMAC-SHA-256 (RFC 2104) of a few bytes. */
void olv_hmac_sha256(const void *key, size_t key_len, const void *bytes, size_t len,
                     uint8_t out[OLV_SHA256_SIZE]);
/* Compares in constant time. */
bool olv_is_same(const void *a, const void *b, size_t len);

bool olv_random(void *out, size_t len);
/* Writes 2 * len digits and a NUL. */
void olv_hex(const uint8_t *bytes, size_t len, char *out);
bool olv_unhex(const char *digits, size_t digits_len, uint8_t *out);
/* Writes 4 * ceil(len / 3) characters and a NUL. */
void olv_base64(const uint8_t *bytes, size_t len, char *out);
/* Returns the number of bytes, or -1. `out` needs 3 * (len / 4) bytes. */
long olv_unbase64(const char *text, size_t len, uint8_t *out);

#endif
