/* SPDX-License-Identifier: Apache-2.0 */
/* Keys and signed notes, in the forms that other programs of the C2SP family read. */
#include "base/digest.h"
#include "seal/seal.h"
#include "support/sandbox.h"

#include <errno.h>
#include <fcntl.h>
#include <openssl/evp.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static int keys_setup(void **state)
{
    return sandbox_setup(state) < 0 ? -1 : mkdir(in(*state, "keys"), 0700);
}

static int open_keys(const struct sandbox *s)
{
    int fd = open(in(s, "keys"), O_RDONLY | O_DIRECTORY);
    assert_true(fd >= 0);
    return fd;
}

static struct olv_key *key_of(const struct sandbox *s)
{
    struct olv_error err = {0};
    int fd = open_keys(s);
    struct olv_key *key = olv_key_load_or_make(fd, "", &err);
    close(fd);
    if (!key)
        fail_msg("%s %s", err.what, err.path);
    return key;
}

static struct olv_text note_of(const struct olv_key *key, const char *body)
{
    struct olv_text text = {0}, note = {0};
    struct olv_error err = {0};
    olv_text_puts(&text, body);
    assert_true(olv_note_sign(key, &text, &note, &err));
    olv_text_free(&text);
    return note;
}

static bool is_good(const struct olv_key *key, const char *note, size_t len)
{
    struct olv_error err = {0};
    size_t body_len = 0;
    bool ok = olv_note_verify(key, note, len, &body_len, &err);
    if (ok)
        assert_in_range(body_len, 1, len);
    else
        assert_int_equal(err.code, OLV_BROKEN);
    return ok;
}

static void a_key_is_made_once_and_found_again(void **state)
{
    const struct sandbox *s = *state;
    struct olv_key *first = key_of(s), *second = key_of(s);
    struct stat st;
    assert_string_equal(olv_key_origin(first), olv_key_origin(second));
    assert_int_equal(strncmp(olv_key_origin(first), "olvido-", 7), 0);
    assert_int_equal(stat(in(s, "keys/ledger.key"), &st), 0);
    assert_int_equal(st.st_mode & 0777, 0600);
    olv_key_free(first);
    olv_key_free(second);
}

static void a_note_is_signed_and_verified_by_the_public_half_alone(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct olv_key *key = key_of(s), *public_half;
    struct olv_text note = note_of(key, "origin\n7\nroot\n");
    int fd = open_keys(s);
    unlink(in(s, "keys/ledger.key"));
    public_half = olv_key_load_public(fd, "", &err);
    assert_non_null(public_half);
    assert_true(is_good(public_half, note.data, note.len));
    assert_int_equal(strncmp(note.data, "origin\n7\nroot\n\n\xE2\x80\x94 olvido-", 24), 0);
    close(fd);
    olv_text_free(&note);
    olv_key_free(key);
    olv_key_free(public_half);
}

/* With OpenSSL alone, from the verifier line and the note as their specifications describe them. */
static void another_reader_of_the_formats_agrees(void **state)
{
    const struct sandbox *s = *state;
    struct olv_key *key = key_of(s);
    struct olv_text note = note_of(key, "origin\n7\nroot\n");
    char *line = slurp(s, "keys/ledger.pub"), *plus = strchr(strchr(line, '+') + 1, '+'),
         *signature = strrchr(note.data, ' ') + 1;
    uint8_t public_key[60], signed_bytes[100];
    EVP_PKEY *pkey;
    EVP_MD_CTX *ctx = EVP_MD_CTX_new();
    plus[1 + strcspn(plus + 1, "\n")] = '\0';
    assert_int_equal(olv_unbase64(plus + 1, strlen(plus + 1), public_key), 33);
    assert_int_equal(public_key[0], 1); /* Ed25519 */
    assert_int_equal(olv_unbase64(signature, strlen(signature) - 1, signed_bytes), 4 + 64);
    pkey = EVP_PKEY_new_raw_public_key(EVP_PKEY_ED25519, NULL, public_key + 1, 32);
    assert_int_equal(EVP_DigestVerifyInit(ctx, NULL, NULL, NULL, pkey), 1);
    assert_int_equal(EVP_DigestVerify(ctx, signed_bytes + 4, 64, (const uint8_t *)"origin\n7\nroot\n", 14),
                     1);
    EVP_MD_CTX_free(ctx);
    EVP_PKEY_free(pkey);
    olv_text_free(&note);
    olv_key_free(key);
}

static void a_note_with_any_bit_changed_is_not_good(void **state)
{
    const struct sandbox *s = *state;
    struct olv_key *key = key_of(s);
    struct olv_text note = note_of(key, "origin\n7\nroot\n");
    for (size_t i = 0; i < note.len; i++) {
        note.data[i] = (char)(note.data[i] ^ 1);
        if (is_good(key, note.data, note.len))
            fail_msg("byte %zu of the note does not matter", i);
        note.data[i] = (char)(note.data[i] ^ 1);
    }
    for (size_t len = 0; len < note.len; len++)
        assert_false(is_good(key, note.data, len));
    assert_true(is_good(key, note.data, note.len));
    olv_text_free(&note);
    olv_key_free(key);
}

/* Nobody can add words that look signed: before the text, in it, behind it, between signatures. */
static void nothing_stands_beside_what_is_signed(void **state)
{
    static const char words[] = "size 99\n", signature[] = "\xE2\x80\x94 other AAAAAAAA\n";
    const struct sandbox *s = *state;
    struct olv_key *key = key_of(s);
    struct olv_text note = note_of(key, "origin\n7\nroot\n");
    char *text = strstr(note.data, "\n\n") + 2;
    size_t places[] = {0, 7, (size_t)(text - note.data) - 1, (size_t)(text - note.data), note.len};
    for (size_t i = 0; i < sizeof places / sizeof *places; i++) {
        char forged[600];
        int len = snprintf(forged, sizeof forged, "%.*s%s%s", (int)places[i], note.data, words,
                           note.data + places[i]);
        if (is_good(key, forged, (size_t)len))
            fail_msg("words at byte %zu are taken for signed", places[i]);
    }
    for (size_t i = 3; i < sizeof places / sizeof *places; i++) { /* somebody else may sign it, too */
        char signed_twice[600];
        int len = snprintf(signed_twice, sizeof signed_twice, "%.*s%s%s", (int)places[i], note.data,
                           signature, note.data + places[i]);
        assert_true(is_good(key, signed_twice, (size_t)len));
    }
    olv_text_free(&note);
    olv_key_free(key);
}

static void a_note_of_another_installation_is_not_ours(void **state)
{
    const struct sandbox *s = *state;
    struct olv_key *ours = key_of(s), *theirs;
    struct olv_text note = note_of(ours, "origin\n7\nroot\n"), both = {0};
    rename(in(s, "keys"), in(s, "old-keys"));
    mkdir(in(s, "keys"), 0700);
    theirs = key_of(s);
    assert_string_not_equal(olv_key_origin(ours), olv_key_origin(theirs));
    assert_false(is_good(theirs, note.data, note.len));
    /* A note may carry signatures of several keys; ours is found among them. */
    struct olv_text other = note_of(theirs, "origin\n7\nroot\n");
    olv_text_add(&both, other.data, other.len);
    olv_text_puts(&both, strstr(note.data, "\n\n") + 2);
    assert_true(is_good(ours, both.data, both.len));
    assert_true(is_good(theirs, both.data, both.len));
    olv_text_free(&note);
    olv_text_free(&other);
    olv_text_free(&both);
    olv_key_free(ours);
    olv_key_free(theirs);
}

static void damaged_keys_are_refused_and_never_replaced(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    int fd = open_keys(s);
    char *line;
    olv_key_free(key_of(s));
    overwrite(s, "keys/ledger.key", "not a key\n", 10);
    assert_null(olv_key_load_or_make(fd, "", &err));
    assert_int_equal(err.code, OLV_BROKEN);
    line = slurp(s, "keys/ledger.pub");
    line[10] = line[10] == 'a' ? 'b' : 'a'; /* the origin: its id does not fit any more */
    overwrite(s, "keys/ledger.pub", line, strlen(line));
    assert_null(olv_key_load_public(fd, "", &err));
    assert_int_equal(err.code, OLV_BROKEN);
    overwrite(s, "keys/ledger.pub", "", 0);
    assert_null(olv_key_load_or_make(fd, "", &err));
    assert_int_equal(err.code, OLV_BROKEN);
    unlink(in(s, "keys/ledger.pub"));
    assert_null(olv_key_load_public(fd, "", &err));
    assert_int_equal(err.sys, ENOENT);
    close(fd);
}

/* A public half that is gone comes from the private one, and signs as before; where both are gone, none is
 * made. */
static void keys_that_signed_something_are_never_made_anew(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    int fd = open_keys(s);
    struct olv_key *key = key_of(s), *again;
    char origin[ORIGIN_SIZE], *line = slurp(s, "keys/ledger.pub"), *pair = slurp(s, "keys/ledger.key");
    snprintf(origin, sizeof origin, "%s", olv_key_origin(key));
    olv_key_free(key);
    unlink(in(s, "keys/ledger.pub"));
    again = olv_key_load_public(fd, origin, &err);
    assert_non_null(again);
    assert_string_equal(olv_key_origin(again), origin);
    assert_false(exists(s, "keys/ledger.pub"));
    olv_key_free(again);
    olv_key_free(olv_key_load_or_make(fd, origin, &err));
    assert_string_equal(slurp(s, "keys/ledger.pub"), line);
    assert_string_equal(slurp(s, "keys/ledger.key"), pair);
    unlink(in(s, "keys/ledger.pub"));
    unlink(in(s, "keys/ledger.key"));
    assert_null(olv_key_load_public(fd, origin, &err));
    assert_int_equal(err.code, OLV_BROKEN);
    assert_null(olv_key_load_or_make(fd, origin, &err));
    assert_int_equal(err.code, OLV_BROKEN);
    assert_false(exists(s, "keys/ledger.key"));
    close(fd);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, keys_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_key_is_made_once_and_found_again),
        TEST(a_note_is_signed_and_verified_by_the_public_half_alone),
        TEST(another_reader_of_the_formats_agrees),
        TEST(a_note_with_any_bit_changed_is_not_good),
        TEST(nothing_stands_beside_what_is_signed),
        TEST(a_note_of_another_installation_is_not_ours),
        TEST(damaged_keys_are_refused_and_never_replaced),
        TEST(keys_that_signed_something_are_never_made_anew),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
