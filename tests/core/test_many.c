/* SPDX-License-Identifier: Apache-2.0 */
/* Many digests at once are the same as one after the other, whatever their lengths and number. */
#include "base/many.h"
#include "support/sandbox.h"

#include <stdlib.h>
#include <string.h>

enum { MOST = 1000, BYTES = 1 << 20 };

static uint8_t *noise(void)
{
    uint8_t *bytes = malloc(BYTES);
    uint64_t x = 7;
    assert_non_null(bytes);
    for (size_t i = 0; i < BYTES; i++)
        bytes[i] = (uint8_t)((x = x * 6364136223846793005u + 1442695040888963407u) >> 56);
    return bytes;
}

static void assert_same(struct many_hasher *many, const struct many_piece *pieces, size_t count)
{
    struct olv_hasher *one = olv_hasher_new();
    uint8_t expected[OLV_SHA256_SIZE];
    many_sha256(many, pieces, count);
    for (size_t i = 0; i < count; i++) {
        olv_sha256(one, pieces[i].bytes, pieces[i].len, expected);
        assert_memory_equal(pieces[i].out, expected, sizeof expected);
    }
    olv_hasher_free(one);
}

/* Around the ends of blocks, where padding may need another one. */
static void every_length_has_its_digest(void **state)
{
    struct many_hasher *many = many_hasher_new();
    uint8_t *bytes = noise(), digests[300][OLV_SHA256_SIZE];
    struct many_piece pieces[300];
    (void)state;
    for (size_t i = 0; i < 300; i++)
        pieces[i] = (struct many_piece){bytes + 3 * i, i, digests[i]};
    assert_same(many, pieces, 300);
    free(bytes);
    many_hasher_free(many);
}

static void lengths_may_differ_widely(void **state)
{
    struct many_hasher *many = many_hasher_new();
    uint8_t *bytes = noise(), (*digests)[OLV_SHA256_SIZE] = malloc(sizeof(*digests) * MOST);
    struct many_piece pieces[MOST];
    (void)state;
    for (size_t count = 0; count < 40; count++) {
        for (size_t i = 0; i < count; i++)
            pieces[i] = (struct many_piece){bytes, i % 7 == 3 ? BYTES - i : i * i % 5000, digests[i]};
        assert_same(many, pieces, count);
    }
    for (size_t i = 0; i < MOST; i++)
        pieces[i] = (struct many_piece){bytes + i, i % 13 == 0 ? 0 : 200 + i, digests[i]};
    assert_same(many, pieces, MOST);
    free(digests);
    free(bytes);
    many_hasher_free(many);
}

/* The examples of FIPS 180-4. */
static void known_digests_come_out(void **state)
{
    static const char *const texts[] = {"", "abc",
                                        "abcdbcdecdefdefgefghfghighijhijkijkljklmklmnlmnomnopnopq"};
    static const char *const expected[] = {
        "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855",
        "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad",
        "248d6a61d20638b8e5c026930c3e6039a33ce45964ff2167f6ecedd419db06c1"};
    struct many_hasher *many = many_hasher_new();
    uint8_t digests[3][OLV_SHA256_SIZE];
    struct many_piece pieces[3];
    char hex[OLV_HEX_SIZE];
    (void)state;
    for (size_t i = 0; i < 3; i++)
        pieces[i] = (struct many_piece){texts[i], strlen(texts[i]), digests[i]};
    many_sha256(many, pieces, 3);
    for (size_t i = 0; i < 3; i++) {
        olv_hex(digests[i], OLV_SHA256_SIZE, hex);
        assert_string_equal(hex, expected[i]);
    }
    many_hasher_free(many);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_length_has_its_digest),
        cmocka_unit_test(lengths_may_differ_widely),
        cmocka_unit_test(known_digests_come_out),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
