/* SPDX-License-Identifier: Apache-2.0 */
/* keys/ledger.key is the private key (PKCS #8, PEM); keys/ledger.pub the verifier line of the C2SP
 * signed-note format: ORIGIN+ID+BASE64, where the base64 holds the algorithm (1 is Ed25519) and the public
 * key. */
#include "seal/key.h"

#include "base/digest.h"
#include "os/durable.h"

#include <errno.h>
#include <openssl/pem.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { ALGORITHM_ED25519 = 1, LARGEST_KEY_FILE = 4096 };

static bool set_id(struct olv_key *key, const uint8_t public_key[ED25519_KEY_SIZE])
{
    uint8_t digest[OLV_SHA256_SIZE], algorithm = ALGORITHM_ED25519;
    struct olv_hasher *hasher = olv_hasher_new();
    if (!hasher)
        return false;
    olv_hasher_begin(hasher);
    olv_hasher_add(hasher, key->origin, strlen(key->origin));
    olv_hasher_add(hasher, "\n", 1);
    olv_hasher_add(hasher, &algorithm, 1);
    olv_hasher_add(hasher, public_key, ED25519_KEY_SIZE);
    olv_hasher_end(hasher, digest);
    olv_hasher_free(hasher);
    memcpy(key->id, digest, KEY_ID_SIZE);
    return true;
}

static bool parse_verifier(struct olv_key *key, const char *line, uint8_t public_key[ED25519_KEY_SIZE])
{
    char base64[80], hex[2 * KEY_ID_SIZE + 1];
    uint8_t bytes[60], id[KEY_ID_SIZE];
    if (sscanf(line, "%63[^+\n]+%8[0-9a-f]+%79[^\n]", key->origin, hex, base64) != 3 ||
        !olv_unhex(hex, 8, id))
        return false;
    if (olv_unbase64(base64, strlen(base64), bytes) != ED25519_KEY_SIZE + 1 || bytes[0] != ALGORITHM_ED25519)
        return false;
    memcpy(public_key, bytes + 1, ED25519_KEY_SIZE);
    return set_id(key, public_key) && memcmp(key->id, id, sizeof id) == 0;
}

/* Nothing here needs what a system's configuration adds to libcrypto, and reading it costs each run. */
static void begin_plainly(void)
{
    OPENSSL_init_crypto(OPENSSL_INIT_NO_LOAD_CONFIG, NULL);
}

static struct olv_key *load_public(int keys, struct olv_error *err)
{
    struct olv_text line = {0};
    struct olv_key *key = calloc(1, sizeof *key);
    uint8_t public_key[ED25519_KEY_SIZE];
    bool ok = key && olv_read_file(keys, "ledger.pub", LARGEST_KEY_FILE, &line, err);
    begin_plainly();
    if (!key)
        olv_fail_memory(err);
    if (ok && !parse_verifier(key, olv_text_string(&line), public_key))
        ok = olv_error_at(
            err, (olv_fail(err, OLV_BROKEN, "the public key of the ledger is damaged"), "keys/ledger.pub"));
    if (ok &&
        !(key->pkey = EVP_PKEY_new_raw_public_key(EVP_PKEY_ED25519, NULL, public_key, sizeof public_key)))
        ok = olv_fail_memory(err);
    olv_text_free(&line);
    if (ok)
        return key;
    olv_key_free(key);
    return NULL;
}

/* An Ed25519 key in PKCS #8 is these bytes and the 32 of the key (RFC 8410, section 7). Whatever else
 * libcrypto reads would cost each run the search for a decoder. */
static EVP_PKEY *parse_private(const unsigned char *der, long len)
{
    static const unsigned char head[] = {0x30, 0x2e, 0x02, 0x01, 0x00, 0x30, 0x05, 0x06,
                                         0x03, 0x2b, 0x65, 0x70, 0x04, 0x22, 0x04, 0x20};
    bool is_one = len == sizeof head + ED25519_KEY_SIZE && memcmp(der, head, sizeof head) == 0;
    return is_one ? EVP_PKEY_new_raw_private_key(EVP_PKEY_ED25519, NULL, der + sizeof head, ED25519_KEY_SIZE)
                  : NULL;
}

static EVP_PKEY *read_pem(const struct olv_text *pem)
{
    char *name = NULL, *header = NULL;
    unsigned char *der = NULL;
    long len = 0;
    BIO *bio = BIO_new_mem_buf(pem->data, (int)pem->len);
    bool ok = bio && PEM_read_bio(bio, &name, &header, &der, &len) && strcmp(name, PEM_STRING_PKCS8INF) == 0;
    EVP_PKEY *pkey = ok ? parse_private(der, len) : NULL;
    OPENSSL_free(name);
    OPENSSL_free(header);
    OPENSSL_clear_free(der, len > 0 ? (size_t)len : 0);
    BIO_free(bio);
    return pkey;
}

static EVP_PKEY *read_private(int keys, struct olv_error *err)
{
    struct olv_text pem = {0};
    EVP_PKEY *pkey = NULL;
    if (olv_read_file(keys, "ledger.key", LARGEST_KEY_FILE, &pem, err) && !(pkey = read_pem(&pem)))
        olv_error_at(
            err, (olv_fail(err, OLV_BROKEN, "the private key of the ledger is damaged"), "keys/ledger.key"));
    olv_text_free(&pem);
    return pkey;
}

static bool write_private(int keys, EVP_PKEY *pkey, struct olv_error *err)
{
    BIO *bio = BIO_new(BIO_s_mem());
    char *pem;
    bool ok = false;
    if (bio && PEM_write_bio_PrivateKey(bio, pkey, NULL, NULL, 0, NULL, NULL)) {
        long len = BIO_get_mem_data(bio, &pem);
        ok = olv_publish(keys, "ledger.key", pem, (size_t)len, err);
    } else {
        olv_fail_memory(err);
    }
    BIO_free(bio);
    return ok;
}

static bool find_id(struct olv_key *key, uint8_t public_key[ED25519_KEY_SIZE])
{
    size_t len = ED25519_KEY_SIZE;
    return EVP_PKEY_get_raw_public_key(key->pkey, public_key, &len) == 1 && set_id(key, public_key);
}

static bool write_public(int keys, struct olv_key *key, struct olv_error *err)
{
    uint8_t bytes[ED25519_KEY_SIZE + 1] = {ALGORITHM_ED25519};
    char base64[64], hex[2 * KEY_ID_SIZE + 1], line[ORIGIN_SIZE + 96];
    if (!find_id(key, bytes + 1))
        return olv_fail_memory(err);
    olv_base64(bytes, sizeof bytes, base64);
    olv_hex(key->id, KEY_ID_SIZE, hex);
    snprintf(line, sizeof line, "%s+%s+%s\n", key->origin, hex, base64);
    return olv_publish(keys, "ledger.pub", line, strlen(line), err);
}

bool olv_keys_are_gone(struct olv_error *err)
{
    olv_fail(err, OLV_BROKEN, "the keys of the ledger are gone");
    return olv_error_hint(err, "restore `keys` from a copy; nothing else proves what was recorded");
}

/* Both halves from the private one: a signature it made proves the origin. NULL with ENOENT if that is
 * missing, too, or the origin is unknown. */
static struct olv_key *from_private(int keys, const char *origin, struct olv_error *err)
{
    struct olv_key *key = *origin ? calloc(1, sizeof *key) : NULL;
    uint8_t public_key[ED25519_KEY_SIZE];
    if (!*origin)
        return NULL; /* with the error about the public half */
    olv_error_clear(err);
    if (key && (key->pkey = read_private(keys, err))) {
        snprintf(key->origin, sizeof key->origin, "%s", origin);
        if (find_id(key, public_key))
            return key;
    }
    if (err->code == OLV_OK)
        olv_fail_memory(err);
    if (err->sys == ENOENT)
        olv_keys_are_gone(err);
    olv_key_free(key);
    return NULL;
}

struct olv_key *olv_key_load_public(int keys, const char *origin, struct olv_error *err)
{
    struct olv_key *key = load_public(keys, err);
    return key || err->sys != ENOENT ? key : from_private(keys, origin, err);
}

static struct olv_key *key_make(int keys, struct olv_error *err)
{
    struct olv_key *key = calloc(1, sizeof *key);
    uint8_t id[8];
    char hex[2 * sizeof id + 1];
    if (key && olv_random(id, sizeof id))
        key->pkey = EVP_PKEY_Q_keygen(NULL, NULL, "ED25519");
    if (key && key->pkey) {
        olv_hex(id, sizeof id, hex);
        snprintf(key->origin, sizeof key->origin, "olvido-%s", hex);
        /* The private half first, so that a public half always has its private one. */
        if (write_private(keys, key->pkey, err) && write_public(keys, key, err))
            return key;
    } else {
        olv_fail(err, OLV_STATE, "cannot make a key for the ledger: no random numbers");
    }
    olv_key_free(key);
    return NULL;
}

struct olv_key *olv_key_load_or_make(int keys, const char *origin, struct olv_error *err)
{
    struct olv_key *key = load_public(keys, err);
    if (!key && err->sys == ENOENT && *origin) {
        key = from_private(keys, origin, err);
        if (key && write_public(keys, key, err))
            return key;
        olv_key_free(key);
        return NULL;
    }
    if (!key)
        return err->sys == ENOENT ? key_make(keys, err) : NULL;
    EVP_PKEY_free(key->pkey);
    key->pkey = read_private(keys, err);
    if (key->pkey)
        return key;
    olv_key_free(key);
    return NULL;
}

const char *olv_key_origin(const struct olv_key *key)
{
    return key->origin;
}

void olv_key_free(struct olv_key *key)
{
    if (!key)
        return;
    EVP_PKEY_free(key->pkey);
    free(key);
}
