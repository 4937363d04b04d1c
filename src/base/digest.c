/* SPDX-License-Identifier: Apache-2.0 */
/* A thin layer over libcrypto. Most inputs here are a few hundred bytes, for which libcrypto's general
 * interface (EVP) costs a third more than the hashing itself. So this uses the plain SHA-256 functions, which
 * version 3 marks as deprecated only because they are less general. */
#define OPENSSL_SUPPRESS_DEPRECATED
#define _DEFAULT_SOURCE /* getentropy */
#include "base/digest.h"

#include <openssl/crypto.h>
#include <openssl/evp.h>
#include <openssl/hmac.h>
#include <openssl/sha.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct olv_hasher {
    SHA256_CTX context;
    uint64_t length; /* bytes hashed so far */
};

struct olv_hasher *olv_hasher_new(void)
{
    struct olv_hasher *hasher = calloc(1, sizeof *hasher);
    if (hasher)
        SHA256_Init(&hasher->context);
    return hasher;
}

void olv_hasher_free(struct olv_hasher *hasher)
{
    free(hasher);
}

void olv_hasher_begin(struct olv_hasher *hasher)
{
    SHA256_Init(&hasher->context);
    hasher->length = 0;
}

void olv_hasher_add(struct olv_hasher *hasher, const void *bytes, size_t len)
{
    SHA256_Update(&hasher->context, bytes, len);
    hasher->length += len;
}

uint64_t olv_hasher_length(const struct olv_hasher *hasher)
{
    return hasher->length;
}

void olv_hasher_fill(struct olv_hasher *hasher, uint64_t length)
{
    static const uint8_t zeros[65536];
    while (hasher->length < length) {
        uint64_t left = length - hasher->length;
        olv_hasher_add(hasher, zeros, left < sizeof zeros ? (size_t)left : sizeof zeros);
    }
}

void olv_hasher_look(const struct olv_hasher *hasher, uint8_t out[OLV_SHA256_SIZE])
{
    SHA256_CTX copy = hasher->context;
    SHA256_Final(out, &copy);
}

void olv_hasher_end(struct olv_hasher *hasher, uint8_t out[OLV_SHA256_SIZE])
{
    SHA256_Final(out, &hasher->context);
}

void olv_sha256(struct olv_hasher *hasher, const void *bytes, size_t len, uint8_t out[OLV_SHA256_SIZE])
{
    olv_hasher_begin(hasher);
    olv_hasher_add(hasher, bytes, len);
    olv_hasher_end(hasher, out);
}

void olv_sha256_once(const void *bytes, size_t len, uint8_t out[OLV_SHA256_SIZE])
{
    SHA256(bytes, len, out);
}

void olv_hmac_sha256(const void *key, size_t key_len, const void *bytes, size_t len,
                     uint8_t out[OLV_SHA256_SIZE])
{
    HMAC(EVP_sha256(), key, (int)key_len, bytes, len, out, NULL);
}

bool olv_is_same(const void *a, const void *b, size_t len)
{
    return CRYPTO_memcmp(a, b, len) == 0;
}

bool olv_random(void *out, size_t len)
{
    enum { PIECE = 256 }; /* the most that one call gives (POSIX.1-2024) */
    uint8_t *at = out;
    while (len) {
        size_t n = len < PIECE ? len : PIECE;
        if (getentropy(at, n) != 0)
            return false;
        at += n;
        len -= n;
    }
    return true;
}

void olv_hex(const uint8_t *bytes, size_t len, char *out)
{
    static const char digits[] = "0123456789abcdef";
    for (size_t i = 0; i < len; i++) {
        out[2 * i] = digits[bytes[i] >> 4];
        out[2 * i + 1] = digits[bytes[i] & 15];
    }
    out[2 * len] = '\0';
}

static int nibble(char c)
{
    if (c >= '0' && c <= '9')
        return c - '0';
    return c >= 'a' && c <= 'f' ? c - 'a' + 10 : -1;
}

bool olv_unhex(const char *digits, size_t digits_len, uint8_t *out)
{
    for (size_t i = 0; i + 1 < digits_len; i += 2) {
        int high = nibble(digits[i]), low = nibble(digits[i + 1]);
        if (high < 0 || low < 0)
            return false;
        out[i / 2] = (uint8_t)(high << 4 | low);
    }
    return digits_len % 2 == 0;
}

void olv_base64(const uint8_t *bytes, size_t len, char *out)
{
    EVP_EncodeBlock((unsigned char *)out, bytes, (int)len);
}

/* Whether the last four characters are the only encoding of their bytes: RFC 4648, section 3.5 lets a decoder
 * refuse stray bits after the last byte, so that every text has one spelling. */
static bool is_canonical(const char *text, size_t len, const uint8_t *bytes, size_t count)
{
    char again[5];
    size_t rest = count % 3 ? count % 3 : 3;
    olv_base64(bytes + count - rest, rest, again);
    return memcmp(again, text + len - 4, 4) == 0;
}

long olv_unbase64(const char *text, size_t len, uint8_t *out)
{
    long n;
    if (len % 4 || len == 0 || len > 1 << 20)
        return len == 0 ? 0 : -1;
    n = EVP_DecodeBlock(out, (const unsigned char *)text, (int)len);
    if (n < 0)
        return -1;
    n -= (text[len - 1] == '=') + (text[len - 2] == '=');
    return is_canonical(text, len, out, (size_t)n) ? n : -1;
}
