/* SPDX-License-Identifier: Apache-2.0 */
/* Removing by hand: what is named, what is asked, what stays, and what is said about it. */
#include "olvido/text.h"
#include "support/command.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

static int setup(void **state)
{
    const struct sandbox *s;
    char name[40];
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_dir(s, "w");
    make_dir(s, "w/campaign");
    make_dir(s, "w/campaign/raw");
    for (int i = 1; i <= 12; i++) {
        snprintf(name, sizeof name, "w/campaign/raw/g%03d.csv", i);
        make_file(s, name, "0123456789", i);
    }
    make_file(s, "w/campaign/.notes", "x", 1);
    make_file(s, "w/a.log", "a", 1);
    make_file(s, "w/b.log", "bb", 1);
    make_file(s, "w/.hidden.log", "c", 1);
    make_file(s, "w/*", "star", 1);
    make_file(s, "w/-x.log", "dash", 1);
    return 0;
}

/* In the directory w. */
static struct outcome in_w(const struct sandbox *s, const char *script)
{
    char text[2000];
    snprintf(text, sizeof text, "cd w; %s", script);
    return shell(s, text);
}

/* ---- what is named ---- */

static void an_argument_is_exactly_one_name(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = in_w(s, "$O discard '*'");
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 1 discarded (4 B)");
    assert_false(exists(s, "w/*"));
    assert_true(exists(s, "w/a.log"));
    o = in_w(s, "$O discard '*.log'");
    assert_status(&o, 1);
    assert_contains(o.err, "*.log: there is no such name. If it is a pattern, put --matching before it");
    o = in_w(s, "$O discard -x.log");
    assert_status(&o, 2);
    assert_contains(o.err, "a file has that name; write it ./-x.log");
    o = in_w(s, "$O discard ./-x.log");
    assert_status(&o, 0);
    assert_false(exists(s, "w/-x.log"));
}

static void a_pattern_catches_names_right_there_and_says_how_many(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    make_file(s, "w/campaign/c.log", "c", 1);
    o = in_w(s, "$O delete --matching '*.log'");
    assert_status(&o, 3);
    assert_contains(o.err, "the pattern fits 4 names, 1 hidden");
    o = in_w(s, "$O delete --matching '*.log' --yes");
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 4 deleted");
    assert_true(exists(s, "w/campaign/c.log"));
    o = in_w(s, "$O delete --matching '**/*.log'");
    assert_status(&o, 0);
    assert_false(exists(s, "w/campaign/c.log"));
    o = in_w(s, "$O delete --matching '*.log'");
    assert_status(&o, 1);
    assert_contains(o.err, "no name fits the pattern; nothing was done");
    o = in_w(s, "$O delete --matching 'g{003..005}.csv' campaign/raw");
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 3 deleted (30 B)");
    assert_false(exists(s, "w/campaign/raw/g004.csv"));
    assert_true(exists(s, "w/campaign/raw/g006.csv"));
    o = in_w(s, "$O discard --matching '{campaign,[a]*}'");
    assert_contains(o.err, "1 directory with all that is in it; the pattern fits 1 name, 1 directory");
    o = in_w(s, "$O delete --matching \"$PWD/campaign/**/g01?.csv\"");
    assert_contains(o.out, "Done: 3 deleted (30 B)");
    o = in_w(s, "$O delete --matching '[x'");
    assert_status(&o, 2);
    assert_contains(o.err, "a ] is missing");
}

static void names_come_from_a_file(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        in_w(s, "printf 'a.log\\n--help\\n' >list; touch ./--help; $O delete --names-from list b.log");
    ON_LINUX_ONLY();
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 3 deleted (3 B)");
    o = in_w(s,
             "printf 'two\\nlines\\0./-x.log\\0' >list; echo x >'two\nlines'; $O delete --names-from list");
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 2 deleted (6 B)");
    o = in_w(s, "printf 'list\\n\\n*\\n' >list; $O delete --names-from list");
    assert_status(&o, 2);
    assert_contains(o.err, "list: name 2 is empty");
    assert_true(exists(s, "w/*"));
    o = in_w(s, "printf '*\\nlist' >list; $O delete --names-from list"); /* itself, too */
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 2 deleted (10 B)");
    o = in_w(s, "$O delete --names-from .");
    assert_status(&o, 2);
    assert_contains(o.err, "it is a directory, not a file of names");
    o = in_w(s, "$O delete --names-from none");
    assert_status(&o, 1);
    o = in_w(s, ": >empty; $O delete --names-from empty");
    assert_status(&o, 2);
    assert_contains(o.err, "there is no name in the file");
    o = olvido_on_terminal(s, 120, "", "delete", "--names-from", "-", NULL);
    assert_status(&o, 2);
    assert_contains(o.out, "names are read from a file or a pipe, not a terminal");
}

/* "y" is a name here, and no answer. */
static void an_answer_never_comes_from_the_names(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        in_w(s, "touch y yes; printf 'y\\nyes\\na.log\\nb.log\\n' | setsid $O discard --names-from -");
    assert_status(&o, 3);
    assert_contains(o.err, "this needs an answer (many at once)");
    assert_true(exists(s, "w/a.log"));
    o = in_w(s, "printf 'y\\nyes\\na.log\\nb.log\\n' | $O discard --names-from - --yes");
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 4 discarded (3 B)");
}

static void twice_or_one_inside_another_is_once(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        in_w(s, "$O discard a.log ./a.log ../w/a.log campaign campaign/raw campaign/raw/g001.csv --yes");
    assert_status(&o, 0);
    assert_contains(o.out, "14 files and 1 directory discarded (122 B)");
    assert_false(exists(s, "w/campaign"));
}

/* ---- directories ---- */

static void a_directory_needs_tree_to_be_deleted(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = in_w(s, "$O delete campaign");
    assert_status(&o, 3);
    assert_contains(o.err, "campaign: it is a directory: --tree takes it");
    o = in_w(s, "$O delete --tree campaign --yes");
    assert_status(&o, 3);
    assert_contains(o.err, "1 directory with all that is in it). Use a terminal or --count 13");
    o = in_w(s, "$O delete --tree campaign --count 12");
    assert_status(&o, 3);
    assert_contains(o.err, "--count 12 is not the number of files that would go: 13; nothing was done");
    assert_true(exists(s, "w/campaign/raw/g001.csv"));
    o = in_w(s, "$O delete --tree campaign --count 13");
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 13 files and 1 directory deleted (121 B)");
    assert_false(exists(s, "w/campaign"));
    o = in_w(s, "mkdir empty; $O delete --tree empty --count 0");
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 1 directory deleted (0 B)");
}

static void a_discarded_directory_comes_back_whole(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = in_w(s, "find campaign | sort >../before; $O discard campaign/ --yes; find campaign; "
                               "$O recover campaign; find campaign | sort | cmp - ../before && echo same");
    assert_contains(o.out, "Done: 13 files and 1 directory discarded (121 B)");
    assert_contains(o.out, "It frees nothing yet; this frees 121 B, for good: olvido --state ");
    assert_contains(o.out, "same");
}

static void contents_go_and_the_directory_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = in_w(s, "ln -s campaign link; $O discard --contents link --yes; echo $?; "
                               "$O discard --contents link/ --yes; echo $?; $O delete link/; echo $?");
    assert_contains(o.err, "link: it is a link, and --contents follows none");
    assert_contains(o.err, "link/: it is a link, and --contents follows none");
    assert_contains(o.err, "link/: it is a link: name it without the slash behind");
    assert_contains(o.out, "3\n3\n3\n");
    o = in_w(s, "$O discard --contents campaign --yes; ls -A campaign | wc -l");
    assert_contains(o.out, "Done: 13 files and 1 directory discarded");
    assert_contains(o.out, "\n0\n");
    assert_true(exists(s, "w/campaign"));
    assert_true(exists(s, "w/link"));
    o = in_w(s, "$O discard --contents a.log; echo $?; $O discard --contents . --yes; echo $?; "
                "$O delete --contents .. --count 9; echo $?; $O delete --contents / --count 1; echo $?");
    assert_contains(o.err, "a.log: it is not a directory, so it has no --contents");
    assert_contains(o.err, ".: it is the working directory, which nobody empties in one go");
    assert_contains(o.err, "..: it is your home, which nobody empties in one go");
    assert_contains(o.err, "/: it is the root");
    assert_contains(o.out, "3\n3\n3\n3\n");
    assert_true(exists(s, "w/a.log"));
}

/* A directory goes only if all in it went, and `path` begins below the argument. */
static void a_statement_judges_every_entry_below(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    make_dir(s, "w/campaign/old");
    make_file(s, "w/campaign/old/x.csv", "x", 90);
    shell_ok(s, "touch -d '90 days ago' w/campaign/old");
    o = in_w(s, "$O discard --where 'age > 30 days' campaign --yes");
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 1 file and 1 directory discarded (1 B)");
    assert_false(exists(s, "w/campaign/old"));
    assert_true(exists(s, "w/campaign/raw"));
    o = in_w(s, "$O discard --where 'path like \"raw/g00*\"' campaign --yes");
    assert_contains(o.out, "Done: 9 discarded (90 B)");
    o = in_w(s, "$O delete --where 'size > 0' campaign --count 4");
    assert_contains(o.err, "campaign: it is a directory: --tree takes it");
    o = in_w(s, "$O delete --tree --where 'size > 0' campaign --count 4");
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 4 files and 2 directories deleted (31 B)");
    assert_false(exists(s, "w/campaign"));
    o = in_w(s, "$O recover --run $($O --json audit show --act discard | sed -n "
                "'s/.*\"run\":\"\\([^\"]*\\)\".*/\\1/p' | head -n 1); "
                "cat campaign/old/x.csv");
    assert_contains(o.out, "recovered");
    assert_contains(o.out, "x");
}

/* ---- what is never taken ---- */

static void guarded_places_stay_however_they_are_spelt(void **state)
{
    static const char *const spellings[] = {
        ".", "./", "../w", "../w/.", "..",    "../w/",           "$PWD",  "$PWD//",     "campaign/..",
        "/", "//", "/usr", "/./usr", "$HOME", "/proc/self/root", "/etc/", "/usr/../usr"};
    const struct sandbox *s = *state;
    struct outcome o;
    for (size_t i = 0; i < sizeof spellings / sizeof *spellings; i++) {
        char script[200];
        snprintf(script, sizeof script,
                 "$O discard %s --yes; echo $?; $O delete --tree %s --count 1; echo $?", spellings[i],
                 spellings[i]);
        o = in_w(s, script);
        if (strcmp(o.out, "3\n3\n") != 0)
            fail_msg("%s: %s%s", spellings[i], o.out, o.err);
    }
    o = in_w(s, "ln -s / root; ln -s .. up; $O discard root/ up/ up/w root/usr --yes; echo $?");
    assert_contains(o.out, "3\n");
    assert_contains(o.err, "up/w: guarded: it is the working directory");
    assert_contains(o.err, "root/usr: guarded: it is");
    o = in_w(s, "$O discard ../state --yes; echo $?; cd ..; mkdir v; cd v; $O discard ../state/ledger --yes; "
                "echo $?");
    assert_contains(o.out, "3\n3\n");
    assert_true(exists(s, "state/ledger"));
}

static void own_places_inside_keep_the_directory_around_them(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "mkdir -p v out; mv w out/w; cd v; touch ../out/f; "
                 "O2=\"${O%%--state*}--state $PWD/../out/st\"; $O2 discard ../out --yes; echo $?; "
                 "$O2 delete --tree ../out --count 18; echo $?; ls ../out");
    assert_contains(o.out, "st\n");
    assert_contains(o.err, "one of Olvido's own places or files is in the way");
}

static void everything_in_a_place_needs_a_person(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = in_w(s, "$O discard a.log b.log '*' ./-x.log campaign --yes");
    assert_status(&o, 3);
    assert_contains(o.err, "everything in ");
    assert_contains(o.err, "/w (the working directory)");
    assert_contains(o.err, "Use a terminal or --count 17");
    assert_true(exists(s, "w/a.log"));
    o = in_w(s, "$O discard a.log b.log '*' ./-x.log --yes"); /* not everything */
    assert_status(&o, 0);
    o = in_w(s, "$O recover --since 2020-01-01 >../recovered; $O discard a.log b.log '*' ./-x.log campaign "
                "--count 17");
    assert_status(&o, 0);
    assert_contains(o.out, "17 files and 1 directory discarded");
    o = shell(s, "mkdir x1 x2 x3; cd data; HOME=$PWD/../h; mkdir -p $HOME/a $HOME/b $HOME/c $HOME/d; "
                 "export HOME; $O discard $HOME/a $HOME/b $HOME/c $HOME/d --yes; echo $?");
    assert_contains(o.err, "/h (your home)");
}

/* ---- questions ---- */

static void a_question_says_why_and_a_wrong_answer_what_fits(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_on_terminal(s, 120, "perhaps\nlist\nno\n", "discard", "w/campaign", NULL);
    assert_status(&o, 3);
    assert_contains(
        o.out, "Discard 13 files and 1 directory (121 B) into the trash? `olvido recover` brings it back. "
               "Many at once; 1 directory with all that is in it: please confirm.");
    assert_contains(o.out, "`perhaps` is no answer; answer no, yes, each or list.");
    assert_contains(o.out, "/w/campaign/ (13 files)");
    assert_contains(o.out, "nothing was done");
    assert_true(exists(s, "w/campaign"));
    o = olvido_on_terminal(s, 120, "", "discard", "w/campaign", NULL); /* the end of input */
    assert_status(&o, 3);
    assert_true(exists(s, "w/campaign"));
    o = olvido_on_terminal(s, 120, "yes\n", "discard", "w/campaign", NULL);
    assert_status(&o, 0);
    assert_false(exists(s, "w/campaign"));
}

static void a_count_is_typed_and_each_comes_beside_it(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_on_terminal(s, 120, "yes\n", "delete", "--tree", "w/campaign", NULL);
    ON_LINUX_ONLY();
    assert_status(&o, 3);
    assert_contains(o.out, "Delete 13 files and 1 directory (121 B) for good? Nothing brings it back.");
    assert_contains(o.out, "nothing was done");
    o = olvido_on_terminal(s, 120, "12\nyes\nno\nstop\n", "delete", "--each", "--matching", "*",
                           "w/campaign/raw", NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "Done: 1 deleted (10 B), 11 not allowed");
    assert_int_equal(count_entries(s, "w/campaign/raw"), 11);
    o = olvido_ends(s, 3, "delete", "--each", "w/a.log", NULL);
    assert_contains(o.err, "this needs an answer (--each). Use a terminal");
    o = olvido_on_terminal(s, 120, "13\n", "delete", "--tree", "w/campaign", NULL);
    assert_status(&o, 3); /* 12 by now */
    o = olvido_on_terminal(s, 120, "12\n", "delete", "--tree", "w/campaign", NULL);
    assert_status(&o, 0);
    assert_false(exists(s, "w/campaign"));
}

static void readonly_files_have_a_question_of_their_own(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    shell_ok(s, "chmod 444 w/a.log");
    o = olvido_ends(s, 3, "delete", "w/a.log", NULL);
    assert_contains(o.err, "this needs an answer (1 file is read-only). Use a terminal or --yes");
    o = olvido_on_terminal(s, 120, "no\n", "delete", "w/a.log", NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "1 file is read-only: nobody may write it. Delete it?");
    o = olvido_on_terminal(s, 120, "yes\nno\n", "delete", "w/a.log", "w/b.log", "w/*", "w/-x.log", NULL);
    assert_status(&o, 3);
    assert_contains(o.out,
                    "Delete 4 files (11 B) for good? Nothing brings it back. Many at once: please confirm.");
    assert_contains(o.out, "Delete it, too?");
    assert_contains(o.out, "Done: 3 deleted (10 B), 1 not allowed, so left undone");
    assert_true(exists(s, "w/a.log"));
    o = olvido_on_terminal(s, 120, "yes\n", "delete", "--each", "w/a.log", NULL);
    assert_contains(o.out, "read-only)?");
    assert_false(exists(s, "w/a.log"));
}

static void preview_touches_nothing(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = in_w(s, "$O delete --tree campaign a.log --preview");
    assert_status(&o, 0);
    assert_contains(o.out, "/w/campaign/ (13 files)");
    assert_contains(o.out, "/w/a.log");
    assert_contains(o.out, "2 entries, 122 B");
    assert_true(exists(s, "w/campaign/raw/g001.csv"));
    assert_true(exists(s, "w/a.log"));
}

/* ---- what stands in the way ---- */

static void what_is_in_the_way_is_named_before_and_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    o = in_w(
        s,
        "chattr +i a.log && chattr +a campaign/raw/g002.csv || exit 77\n"
        "$O delete a.log b.log; echo $?\n"
        "$O discard campaign --yes; echo $?\n"
        "$O delete --tree campaign --count 12; echo $?\n"
        "find campaign | sort; mkdir log; touch log/x; chattr +a log; $O delete log/x --yes; echo $?\n"
        "$O discard log/x --yes; echo $?; ls -A log; chattr -i a.log; chattr -a log campaign/raw/g002.csv");
    if (o.status == 77)
        skip();
    assert_contains(o.err, "a.log: it is immutable");
    assert_contains(o.out, "Done: 1 deleted (2 B), 1 left alone. Run");
    assert_contains(o.err, "/campaign/raw/g002.csv: it is append-only, and in the way");
    assert_contains(o.err, "/campaign/raw/g002.csv: it is append-only, and not by Olvido: `olvido unprotect "
                           "--anyway` lifts that\n");
    assert_contains(o.out, "Done: 12 deleted (111 B), 1 left alone");
    assert_contains(o.out, "campaign\ncampaign/raw\ncampaign/raw/g002.csv\n3\n3\nx\n");
    assert_contains(o.err, "log/x: its directory is append-only: nothing in it can be renamed or removed");
}

/* The flags of a directory are asked before anything is made in it, whatever the act; and told beforehand. */
static void flags_of_the_directory_are_asked_first(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    shell_ok(s, "mkdir -m 1777 w/log && yes | head -n 999 >w/log/x && touch -d '60 days ago' w/log/x");
    write_policy(s, "limits: { files: 100 }",
                 "\nrules:\n  - { name: r, under: @/w/log, steps: [ { after: 30 days, do: discard } ] }\n",
                 NULL);
    o = shell(
        s,
        "for flag in a i; do chattr +$flag w/log || exit 77; for act in 'discard' 'delete' 'compress'; do "
        "$O $act w/log/x --yes; echo $?; done; P='--policy policy.yaml'; $O $P check; $O $P explain w/log/x; "
        "$O $P enforce --yes; echo $?; chattr -$flag w/log; done; ls -A w/log");
    if (o.status == 77)
        skip();
    assert_contains(o.err, "rule r: ");
    assert_contains(o.err, "/w/log: it is append-only: nothing in it can be renamed or removed");
    assert_contains(o.err, "/w/log: it is immutable: nothing in it can be renamed or removed");
    assert_contains(o.out,
                    "In the way its directory is append-only: nothing in it can be renamed or removed");
    assert_contains(o.out, "In the way its directory is immutable: nothing in it can be renamed or removed");
    assert_contains(o.out,
                    "Nothing done: 1 left alone (1: its directory is append-only: nothing in it can be");
    assert_contains(o.out, "\n0\nx\n");
}

/* ---- what waits for the disk ---- */

/* Each wait of a discard of one file by hand, in the order of their paths, and its reason. */
static const struct {
    const char *what, *reason;
} waits[] = {
    {"data/Trash/files", "an item is in its trash before its outcome is recorded"},
    {"data/Trash/info", "and so is the name of its info file,"},
    {"data/Trash/info/b.log.trashinfo", "which says where it lay before it leaves that place"},
    {"state/ledger", "the last checkpoint stays until the next one has its name:"},
    {"state/ledger", "when a run begins,"},
    {"state/ledger", "and when it ends,"},
    {"state/ledger", "with what the checkpoint proves before it"},
    {"state/ledger/checkpoint.new", "a checkpoint is whole before it has its name: when a run begins,"},
    {"state/ledger/checkpoint.new", "and when it ends"},
    {"state/ledger/hashes-0", "the tree of hashes that the checkpoint signs, when a run begins,"},
    {"state/ledger/hashes-0", "and when it ends"},
    {"state/ledger/lines-000000000000.jsonl", "the beginning of the run comes before its intent,"},
    {"state/ledger/lines-000000000000.jsonl", "the intent before the first act,"},
    {"state/ledger/lines-000000000000.jsonl", "and the outcome before the run has ended"},
    {"state/runs", "the mark of a run under way has its name before anything is done"},
    {"state/runs/RUN", "the docket segment has its name before the intent that commits to it,"},
    {"state/runs/RUN/000001.docket", "and is whole"},
    {"state/runs/open.new", "the mark is whole before it has its name"},
    {"w", "it has left its place before its outcome is recorded"},
};

static void each_wait_for_the_disk_has_its_reason(void **state)
{
    const struct sandbox *s = *state;
    struct olv_text want = {0};
    struct outcome o;
    ON_LINUX_ONLY();
    for (size_t i = 0; i < sizeof waits / sizeof *waits; i++) {
        assert_true(*waits[i].reason);
        olv_text_printf(&want, "%s\n", waits[i].what);
    }
    o = in_w(
        s,
        "export ASAN_OPTIONS=detect_leaks=0; $O discard a.log >../out; "
        "strace -f -y -e trace=fsync,fdatasync,syncfs,sync,sync_file_range,msync -o ../calls $O discard "
        "b.log "
        ">../out; here=$(cd .. && pwd -P); sed -n \"s|.*sync([0-9]*<$here/\\([^>]*\\)>.*|\\1|p\" ../calls | "
        "sed 's|runs/[0-9][^/]*|runs/RUN|' | LC_ALL=C sort; grep -c . ../calls >/dev/null");
    assert_string_equal(o.out, olv_text_string(&want));
    olv_text_free(&want);
}

/* Names of many directories, in any order, and one of them under two mounts: each goes, the one that is open
 * stays, and no private room does. */
static void directories_go_side_by_side(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    o = in_w(s, "for d in $(seq 30); do mkdir many$d; (cd many$d; touch $(seq 40)); done; mount --bind many3 "
                "many4 || "
                "exit 77; find $PWD/many* -type f | shuf >names; exec 9>>many7/7; $O delete --names-from "
                "names --count "
                "1200; echo $?; umount many4; rm many4/*; find many* ! -type d; find many* -name '.*'; "
                "$O audit show --json --act delete | grep -c '\"done\"'; $O audit verify");
    if (o.status == 77)
        skip();
    assert_contains(o.out, "1,159 deleted (0 B), 41 left alone (40: it is gone");
    assert_contains(o.out, "; 1: it is open for writing)");
    assert_contains(o.out, "\n3\nmany7/7\n1159\n");
    assert_status(&o, 0);
}

static void a_file_open_for_writing_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    o = in_w(s, "exec 9>>a.log; $O delete a.log b.log; echo $?; $O discard . a.log; echo $?");
    assert_contains(o.out, "Done: 1 deleted (2 B), 1 left alone (1: it is open for writing)");
    assert_contains(o.out, "What was left: olvido --state ");
    assert_contains(o.out, "\n3\n");
    assert_true(exists(s, "w/a.log"));
}

/* Two names of one file: both go, and only what our own act changed is allowed for. */
static void both_names_of_a_file_go(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        in_w(s, "ln a.log twin; ln a.log campaign/twin; $O delete a.log twin campaign/twin --yes; "
                "echo $?; ln b.log twin; $O discard b.log twin --yes; echo $?");
    ON_LINUX_ONLY();
    assert_contains(o.out, "Done: 3 deleted (3 B)");
    assert_contains(o.out, "Done: 2 discarded (4 B)");
    assert_lacks(o.out, "left");
}

static void a_name_of_255_bytes_is_discarded(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        in_w(s, "n=$(printf 'x%.0s' $(seq 255)); echo x >$n; $O discard $n; echo $?; ls | grep -c xxx; "
                "$O recover $n | head -n 3; ls | grep -c xxx");
    assert_contains(o.out, "Done: 1 discarded (2 B)");
    assert_contains(o.out, "Done: 1 recovered (2 B)");
}

static void what_vanishes_while_it_asks_is_left(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_on_terminal(s, 120, "!rm w/a.log; echo y >>w/b.log\nyes\ngo on\ngo on\n",
                                          "delete", "w/a.log", "w/b.log", "w/*", "w/-x.log", NULL);
    ON_LINUX_ONLY();
    assert_status(&o, 3);
    assert_contains(o.out,
                    "Done: 2 deleted (8 B), 2 left alone (1: it changed since it was judged; 1: it is gone");
    assert_true(exists(s, "w/b.log"));
}

static void mistakes_are_explained(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 2, "delete", NULL);
    assert_contains(o.err, "say what to delete: a path, --matching PATTERN or --names-from FILE");
    o = olvido_ends(s, 2, "delete", "--tree", "--contents", "w", NULL);
    assert_contains(o.err, "say one of them");
    o = olvido_ends(s, 2, "discard", "--where", "sice > 3", "w", NULL);
    assert_contains(o.err, "size");
    o = olvido_ends(s, 1, "discard", "none", "w/none/x", "w/a.log/x", NULL);
    assert_contains(o.err, "none: looking for it: No such file");
    assert_contains(o.err, "w/a.log/x: looking for it: Not a directory");
    o = olvido_ends(s, 3, "discard", "w/a.log/", NULL);
    assert_contains(o.err, "it is no directory, though there is a slash behind it");
    o = olvido_ends(s, 1, "discard", "", NULL);
    assert_contains(o.err, "a name is empty");
    assert_true(exists(s, "w/a.log"));
    o = in_w(s, "$O discard --matching 'a{b'; $O discard --matching 'a[b'");
    assert_contains(o.err, "the pattern a{b: a } is missing; a backslash before the { makes it an ordinary");
    assert_contains(o.err, "the pattern a[b: a ] is missing; a backslash before the [ makes it an ordinary");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(an_argument_is_exactly_one_name),
        TEST(a_pattern_catches_names_right_there_and_says_how_many),
        TEST(names_come_from_a_file),
        TEST(an_answer_never_comes_from_the_names),
        TEST(twice_or_one_inside_another_is_once),
        TEST(a_directory_needs_tree_to_be_deleted),
        TEST(a_discarded_directory_comes_back_whole),
        TEST(contents_go_and_the_directory_stays),
        TEST(a_statement_judges_every_entry_below),
        TEST(guarded_places_stay_however_they_are_spelt),
        TEST(own_places_inside_keep_the_directory_around_them),
        TEST(everything_in_a_place_needs_a_person),
        TEST(a_question_says_why_and_a_wrong_answer_what_fits),
        TEST(a_count_is_typed_and_each_comes_beside_it),
        TEST(readonly_files_have_a_question_of_their_own),
        TEST(preview_touches_nothing),
        TEST(what_is_in_the_way_is_named_before_and_stays),
        TEST(flags_of_the_directory_are_asked_first),
        TEST(each_wait_for_the_disk_has_its_reason),
        TEST(directories_go_side_by_side),
        TEST(a_file_open_for_writing_stays),
        TEST(both_names_of_a_file_go),
        TEST(a_name_of_255_bytes_is_discarded),
        TEST(what_vanishes_while_it_asks_is_left),
        TEST(mistakes_are_explained),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
