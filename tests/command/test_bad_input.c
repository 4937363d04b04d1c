/* SPDX-License-Identifier: Apache-2.0 */
/* Input that is wrong, too large, hostile, foreign or incomplete: a clear error, the right exit status, and
 * nothing lost. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static int setup(void **state)
{
    if (sandbox_setup(state) < 0)
        return -1;
    make_scratch_policy(*state);
    make_file(*state, "tides/scratch/a.tmp", "first", 100);
    return 0;
}

static struct outcome enforce(const struct sandbox *s, int status)
{
    struct outcome o = olvido(s, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_status(&o, status);
    return o;
}

static void a_policy_that_is_too_large_is_refused_with_a_reason(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "(echo 'olvido: 1'; head -c 100M /dev/zero | tr '\\0' '#') >big.yaml; $O --policy "
                 "big.yaml check");
    assert_status(&o, 2);
    assert_contains(o.err, "larger than 4 MiB");
    o = shell(
        s, "(echo 'olvido: 1'; echo 'rules:'; for i in $(seq 10000); do echo \"  - { name: r$i, under: /tmp, "
           "steps: [ { after: 1 day, do: tell } ] }\"; done) >many.yaml; $O --policy many.yaml check");
    assert_status(&o, 2);
    assert_contains(o.err, "`rules` has 10000 entries; at most 1000 are allowed");
}

static void rules_that_contradict_themselves_are_named(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "cat >odd.yaml <<'Y'\nolvido: 1\nlimits: { files: 1 }\nrules:\n  - { name: a, under: /tmp, "
                 "where: \"size > 5 "
                 "and size < 3\", steps: [ { after: 1 day, do: tell } ] }\n  - { name: b, under: /tmp, "
                 "steps: [ { after: 2 "
                 "days, do: discard }, { after: 1 day, do: tell } ] }\nY\n$O --policy odd.yaml check");
    assert_status(&o, 0);
    assert_contains(o.err, "odd.yaml:4");
    assert_contains(o.err, "odd.yaml:5");
    assert_contains(o.out, "warning");
}

/* The error is about the place, and nothing is made or taken. */
static void an_archive_needs_a_place_and_a_name(void **state)
{
    static const char *const wrong[][2] = {
        {"none/a.tar", "there is no directory none for the archive"},
        {"tides/", "tides/ names a directory; the archive is a file, and needs a name"},
        {"tides", "the name of the archive says how it is packed"},
        {"tides/scratch/a.tmp", "the name of the archive says how it is packed"},
        {"there.tar", "there.tar is there already; an archive never replaces anything"}};
    const struct sandbox *s = *state;
    make_file(s, "there.tar", "kept", 1);
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        struct outcome o =
            olvido_ends(s, 2, "archive", "tides/scratch/a.tmp", "--to", wrong[i][0], "--yes", NULL);
        assert_contains(o.err, wrong[i][1]);
    }
    assert_string_equal(slurp(s, "there.tar"), "kept");
    assert_string_equal(slurp(s, "tides/scratch/a.tmp"), "first");
    assert_false(exists(s, "none"));
}

static void a_directory_that_is_gone_is_not_the_root(void **state)
{
    struct outcome o = shell(*state, "mkdir gone; cd gone; rmdir ../gone; $O recover 'a/*.tmp'");
    assert_status(&o, 1);
    assert_contains(o.err, "a/*.tmp: cannot find out in which directory this is");
}

static void an_expression_that_explodes_is_bounded(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(
        s, "touch -d '9 days ago' tides/scratch/$(printf 'a%.0s' $(seq 60))!; sed 's/^    steps:/    where: "
           "name matches "
           "\"^(a+)+$\"\\n    steps:/' policy.yaml >regex.yaml; timeout 20 $O --policy regex.yaml preview");
    assert_status(&o, 0);
    assert_contains(o.err, "1 file left alone because its `where` could not be decided");
}

static void a_newer_state_is_refused_and_stays_as_it_is(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(s, "mkdir -m 700 state; echo 2 >state/version");
    o = enforce(s, 6);
    assert_contains(o.err, "version 2, this Olvido knows version 1");
    assert_true(exists(s, "tides/scratch/a.tmp"));
    assert_false(exists(s, "state/ledger"));
}

/* Each part of the state is removed in turn; what cannot be done without it is not done. */
static void a_state_that_is_half_gone_is_named(void **state)
{
    static const struct {
        const char *gone, *says;
        int status;
    } parts[] = {
        {"keys", "the keys of the ledger are gone", 5},
        {"keys/ledger.pub", "", 0}, /* the private one has it, too */
        {"ledger/checkpoint", "checkpoint: cannot open the file", 5},
        {"ledger/lines-000000000000.jsonl", "all lines of the ledger are gone", 5},
        {"ledger/hashes-0", "", 0}, /* a copy of what the lines say */
        {"ledger", "the ledger is gone, though runs were recorded in it", 5},
        {"version", "", 0},
        {"state.db", "", 0},
        {"reserve", "", 0},
    };
    const struct sandbox *s = *state;
    struct outcome o = enforce(s, 0);
    char script[300];
    for (size_t i = 0; i < sizeof parts / sizeof *parts; i++) {
        snprintf(script, sizeof script,
                 "rm -rf half; cp -a state half; rm -rf half/%s; echo new >tides/scratch/new.tmp; touch -d "
                 "'100 days "
                 "ago' tides/scratch/new.tmp; $OLVIDO --state half --policy policy.yaml enforce --yes",
                 parts[i].gone);
        o = shell(s, script);
        if (o.status != parts[i].status || !strstr(o.err, parts[i].says) ||
            exists(s, "tides/scratch/new.tmp") != (parts[i].status != 0))
            fail_msg("without %s: status %d\n%s%s", parts[i].gone, o.status, o.out, o.err);
    }
}

static void a_ledger_of_another_installation_is_refused(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = enforce(s, 0);
    o = shell(s, "mkdir -p other/tides/scratch; echo x >tides/scratch/b.tmp; touch -d '99 days ago' "
                 "tides/scratch/b.tmp; "
                 "$OLVIDO --state other/state --policy policy.yaml enforce --yes; rm -rf state/ledger; cp -a "
                 "other/state/ledger state/ledger; echo x >tides/scratch/c.tmp; touch -d '99 days ago' "
                 "tides/scratch/c.tmp");
    assert_status(&o, 0);
    o = enforce(s, 5);
    assert_contains(o.err, "not signed by this installation's key");
    assert_true(exists(s, "tides/scratch/c.tmp"));
    o = olvido_ends(s, 5, "audit", "verify", NULL);
}

/* A real one, whose server answers through two pipes, so that no network is needed; and the kernel's own by
 * their magic (NFS: 0x6969). */
static void a_state_on_a_network_file_system_is_refused(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    if (geteuid() != 0)
        skip();
    ON_LINUX_ONLY();
    o = shell(s, "mkdir -m 700 far near far/state; mkfifo pipe; "
                 "(/usr/lib/openssh/sftp-server <pipe | sshfs -o passive :$PWD/far $PWD/near >pipe) & "
                 "for i in $(seq 50); do mountpoint -q near && break; sleep 0.1; done; mountpoint near; "
                 "$OLVIDO --state near/state --policy policy.yaml enforce --yes; echo status $?; "
                 "ls far/state | wc -l; umount near; wait");
    assert_contains(o.out, "near is a mountpoint");
    assert_contains(o.out, "status 6\n0\n");
    assert_contains(o.err,
                    "near/state: the state directory is on a network file system, where locks cannot be "
                    "trusted");
    assert_contains(o.err, "put it on a local disk: --state DIR");
    assert_true(exists(s, "tides/scratch/a.tmp"));
    o = shell(s, "mkdir -m 700 nfs; export ASAN_OPTIONS=detect_leaks=0; strace -f -qq -o /dev/null -e "
                 "inject=fstatfs:poke_exit=@arg2=6969000000000000 $OLVIDO --state nfs --policy policy.yaml "
                 "enforce --yes; echo status $?; ls nfs | wc -l");
    assert_contains(o.out, "status 6\n0\n");
    assert_contains(o.err, "network file system");
}

static void a_trash_that_is_not_ours_alone_is_refused(void **state)
{
    static const struct {
        const char *make, *says;
    } cases[] = {
        {"ln -s /tmp data/Trash", "the trash is a symbolic link"},
        {"mkdir -m 700 data/Trash; ln -s /tmp data/Trash/files", "`files` in the trash is a symbolic link"},
        {"mkdir -m 777 data/Trash; chmod 777 data/Trash", "others may write in the trash"},
        {"echo x >data/Trash", "Not a directory"},
    };
    const struct sandbox *s = *state;
    char script[300];
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        struct outcome o;
        snprintf(script, sizeof script, "rm -rf data; mkdir data; %s", cases[i].make);
        o = shell(s, script);
        o = enforce(s, 6);
        assert_contains(o.err, cases[i].says);
        assert_true(exists(s, "tides/scratch/a.tmp"));
    }
}

static void whatever_lies_in_the_trash_is_shown_and_harmless(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(s, "mkdir -p data/Trash/files data/Trash/info; chmod 700 data/Trash; cd "
                                "data/Trash; echo 1 >files/big; (printf "
                                "'[Trash Info]\\nPath=/x\\n'; head -c 20M /dev/zero) >info/big.trashinfo; "
                                "echo 2 >files/torn; printf '[Trash' "
                                ">info/torn.trashinfo; echo 3 >files/stray; printf '[Trash "
                                "Info]\\nPath=/srv/lost\\nDeletionDate=2026-01-01T00:00:00\\n' "
                                ">info/lost.trashinfo; ln -s /etc/passwd "
                                "info/link.trashinfo; echo 4 >files/link; mkfifo info/pipe.trashinfo; echo 5 "
                                ">files/pipe; cd ../..; timeout 10 "
                                "$O trash show; timeout 10 $O recover --list");
    assert_status(&o, 0);
    assert_contains(o.out, "stray (no info file");
    assert_contains(o.out, "big (torn info file");
    assert_contains(o.out, "link (torn info file");
    assert_contains(o.out, "pipe (torn info file");
    assert_contains(o.out, "/srv/lost (nothing left of it)");
    assert_contains(o.out, "0 items, 0 B, can be recovered");
    assert_lacks(o.out, "root:");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_policy_that_is_too_large_is_refused_with_a_reason),
        TEST(rules_that_contradict_themselves_are_named),
        TEST(an_archive_needs_a_place_and_a_name),
        TEST(a_directory_that_is_gone_is_not_the_root),
        TEST(an_expression_that_explodes_is_bounded),
        TEST(a_newer_state_is_refused_and_stays_as_it_is),
        TEST(a_state_that_is_half_gone_is_named),
        TEST(a_ledger_of_another_installation_is_refused),
        TEST(a_state_on_a_network_file_system_is_refused),
        TEST(a_trash_that_is_not_ours_alone_is_refused),
        TEST(whatever_lies_in_the_trash_is_shown_and_harmless),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
