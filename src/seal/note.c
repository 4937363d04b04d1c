/* SPDX-License-Identifier: Apache-2.0 */
/* A signed note (C2SP signed-note): the body, a blank line, and for each signature a line
 *     EM-DASH, space, name of the key, space, base64 of the key's id and the signature of the body */
#include "seal/key.h"

#include "base/digest.h"

#include <string.h>

static const char DASH[] = "\xE2\x80\x94 ";
enum { SIGNED_SIZE = KEY_ID_SIZE + ED25519_SIGNATURE_SIZE, SIGNED_BASE64 = (SIGNED_SIZE + 2) / 3 * 4 };

bool olv_note_sign(const struct olv_key *key, const struct olv_text *body, struct olv_text *out,
                   struct olv_error *err)
{
    uint8_t bytes[SIGNED_SIZE];
    char base64[SIGNED_BASE64 + 1];
    size_t len = ED25519_SIGNATURE_SIZE;
    EVP_MD_CTX *ctx = EVP_MD_CTX_new();
    bool ok = ctx && EVP_DigestSignInit(ctx, NULL, NULL, NULL, key->pkey) == 1 &&
              EVP_DigestSign(ctx, bytes + KEY_ID_SIZE, &len, (const uint8_t *)body->data, body->len) == 1;
    EVP_MD_CTX_free(ctx);
    if (!ok)
        return olv_fail(err, OLV_STATE, "cannot sign with the key of the ledger");
    memcpy(bytes, key->id, KEY_ID_SIZE);
    olv_base64(bytes, sizeof bytes, base64);
    olv_text_add(out, body->data, body->len);
    olv_text_printf(out, "\n%s%s %s\n", DASH, key->origin, base64);
    return out->failed ? olv_fail_memory(err) : true;
}

/* The base64 of the line that this key signed; NULL when there is none, or something else than signatures
 * stands there (C2SP signed-note: what is no signature line has no place behind the text). */
static const char *find_signature(const struct olv_key *key, const char *lines, const char *end)
{
    size_t name_len = strlen(key->origin), dash_len = sizeof DASH - 1;
    const char *found = NULL;
    while (lines < end) {
        const char *stop = memchr(lines, '\n', (size_t)(end - lines));
        const char *name = lines + dash_len;
        if (!stop || (size_t)(stop - lines) <= dash_len || memcmp(lines, DASH, dash_len) != 0)
            return NULL;
        if ((size_t)(stop - lines) == dash_len + name_len + 1 + SIGNED_BASE64 &&
            !memcmp(name, key->origin, name_len) && name[name_len] == ' ')
            found = name + name_len + 1;
        lines = stop + 1;
    }
    return found;
}

static bool is_good(const struct olv_key *key, const char *base64, const char *body, size_t len)
{
    uint8_t bytes[SIGNED_BASE64 / 4 * 3];
    EVP_MD_CTX *ctx;
    bool ok;
    if (olv_unbase64(base64, SIGNED_BASE64, bytes) != SIGNED_SIZE || memcmp(bytes, key->id, KEY_ID_SIZE) != 0)
        return false;
    ctx = EVP_MD_CTX_new();
    ok = ctx && EVP_DigestVerifyInit(ctx, NULL, NULL, NULL, key->pkey) == 1 &&
         EVP_DigestVerify(ctx, bytes + KEY_ID_SIZE, ED25519_SIGNATURE_SIZE, (const uint8_t *)body, len) == 1;
    EVP_MD_CTX_free(ctx);
    return ok;
}

bool olv_note_verify(const struct olv_key *key, const char *note, size_t len, size_t *body_len,
                     struct olv_error *err)
{
    const char *end = note + len, *blank = NULL, *base64;
    for (const char *p = note; p + 1 < end; p++)
        if (p[0] == '\n' && p[1] == '\n')
            blank = p;
    if (!blank)
        return olv_fail(err, OLV_BROKEN, "the checkpoint is not a signed note");
    *body_len = (size_t)(blank - note) + 1;
    base64 = find_signature(key, blank + 2, end);
    if (!base64)
        return olv_fail(err, OLV_BROKEN, "the checkpoint is not signed by this installation's key");
    return is_good(key, base64, note, *body_len)
               ? true
               : olv_fail(err, OLV_BROKEN, "the checkpoint's signature does not verify");
}
