/* SPDX-License-Identifier: Apache-2.0 */
/* Everything is checked again right before each act: a name that was taken during the question, what is
 * mounted or unreadable inside, what was recovered. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* ---- while the question stands ---- */

static const char DISCARDED[] = "policy discard 'kind = file'; old t/r.csv; $O enforce --yes >out";
static const char DIRECTORY[] =
    "policy discard 'kind = directory'; old t/d/a.csv t/d/b.csv; touch -d '400 days ago' t/d";
/* Another file with the same contents, size and times. */
#define TWIN(f) "!cp -p " f " twin && mv " f " kept && mv twin " f "\n"

static const struct {
    const char *what, *stage, *answers, *command, *stays;
} swaps[] = {
    {"clear, of another mode", DISCARDED, "!chmod 600 data/Trash/files/r.csv\nyes\n", "trash clear",
     "[ -e data/Trash/files/r.csv ]"},
    {"recover out of another archive",
     "policy tell 'kind = file'; old t/r.csv; $O archive t/r.csv --depot cold-room --yes >out; echo newcomer "
     ">t/r.csv",
     "!cp -p depot/by-hand* twin; a=$(ls depot/*); mv $a kept; mv twin $a\nnumber\n",
     "recover t/r.csv --if-exists ask", "[ ! -e 't/r (2).csv' ] && grep -q newcomer t/r.csv"},
    {"clear", DISCARDED, "!mv data/Trash/files/r.csv kept; echo other >data/Trash/files/r.csv\nyes\n",
     "trash clear", "grep -q other data/Trash/files/r.csv"},
    {"clear, a twin", DISCARDED, TWIN("data/Trash/files/r.csv") "yes\n", "trash clear",
     "[ -e data/Trash/files/r.csv ] && [ -e data/Trash/info/r.csv.trashinfo ]"},
    {"recover", "policy discard 'kind = file'; old t/r.csv; $O enforce --yes >out; echo newcomer >t/r.csv",
     "!mv data/Trash/files/r.csv kept; echo other >data/Trash/files/r.csv\nnumber\n",
     "recover r.csv --if-exists ask", "[ ! -e 't/r (2).csv' ] && grep -q other data/Trash/files/r.csv"},
    {"archive", "policy tell 'kind = file'; old t/r.csv t/s.csv", TWIN("t/r.csv") "yes\n",
     "archive t --depot cold-room", "[ -e t/r.csv ]"},
    {"archive to", "policy tell 'kind = file'; old t/r.csv t/s.csv", TWIN("t/r.csv") "yes\n",
     "archive t --to t.zip", "[ -e t/r.csv ]"},
    {"compress", "policy tell 'kind = file'; old t/r.csv; seq 9000 >t/r.csv", TWIN("t/r.csv") "yes\n",
     "compress t", "[ -e t/r.csv ] && [ ! -e t/r.csv.zst ]"},
    {"decompress", "policy tell 'kind = file'; seq 9000 >t/r.csv; $O compress t --yes >out",
     TWIN("t/r.csv.zst") "yes\n", "decompress t", "[ -e t/r.csv.zst ] && [ ! -e t/r.csv ]"},
    {"delete", "policy delete 'kind = file'; old t/r.csv", TWIN("t/r.csv") "yes\n", "enforce",
     "[ -e t/r.csv ]"},
    {"discard", "policy discard 'kind = file'; old t/r.csv", TWIN("t/r.csv") "yes\n", "enforce",
     "[ -e t/r.csv ]"},
    {"another directory", DIRECTORY,
     "!mv t/d kept; mkdir t/d; echo other >t/d/x; touch -d '400 days ago' t/d/x t/d\nyes\n", "enforce",
     "grep -q other t/d/x"},
    {"within a directory", DIRECTORY, TWIN("t/d/a.csv") "yes\n", "enforce",
     "[ -e t/d/a.csv ] && [ -e t/d/b.csv ]"},
    {"written anew deep within, of the same size", "due_directory t/d/sub/a.csv",
     "!printf T | dd of=t/d/sub/a.csv conv=notrunc 2>/dev/null\nyes\n", "enforce",
     "grep -q ^T t/d/sub/a.csv"},
    {"renamed within a directory", DIRECTORY, "!mv t/d/a.csv t/d/c.csv; touch -d '400 days ago' t/d\nyes\n",
     "enforce", "[ -e t/d/c.csv ] && [ -e t/d/b.csv ]"},
#ifndef OLVIDO_OS_POSIX /* where nothing tells which files are open */
    {"opened within a directory", "due_directory t/d/sub/a.csv t/d/b.csv",
     "!(exec 9>>t/d/sub/a.csv; sleep 3) </dev/null >/dev/null 2>&1 & sleep 1.2\nyes\n", "enforce",
     "[ -e t/d/sub/a.csv ] && [ -e t/d/b.csv ]"},
#endif
    {"out of an archive",
     "policy delete 'kind = file'; old t/r.csv; $O archive t --depot cold-room --yes >out; mkdir -p t",
     "!cp -p depot/by-hand* twin; a=$(ls depot/*); mv $a kept; mv twin $a\nyes\n", "enforce",
     "ls depot/by-hand*"},
};

static void what_took_the_name_stays(void **state)
{
    const struct sandbox *s = *state;
    for (size_t i = 0; i < sizeof swaps / sizeof *swaps; i++) {
        char words[100], *w[8] = {NULL}, *rest = NULL;
        size_t n = 0;
        struct outcome o;
        shell_ok(s, "rm -rf state data t depot kept twin t.zip");
        readings_ok(s, swaps[i].stage);
        snprintf(words, sizeof words, "%s", swaps[i].command);
        for (char *word = strtok_r(words, " ", &rest); word && n < 8; word = strtok_r(NULL, " ", &rest))
            w[n++] = word;
        o = olvido_on_terminal(s, 100, swaps[i].answers, "--policy", "policy.yaml", w[0], w[1], w[2], w[3],
                               w[4], w[5], NULL);
        if (!strstr(o.out, "? "))
            fail_msg("%s: nothing was asked:\n%s", swaps[i].what, o.out);
        if (!strstr(o.out, " left alone") && !strstr(o.out, "its archive has changed"))
            fail_msg("%s: not left alone:\n%s", swaps[i].what, o.out);
        o = shell(s, swaps[i].stays);
        if (o.status != 0)
            fail_msg("%s: it is not what and where it was", swaps[i].what);
        readings_ok(s, "$O audit verify >out");
    }
}

/* ---- each script tells its story ---- */

STORY(mount_within_an_item, AS_ROOT_ONLY())
STORY(directory_unreadable, ON_LINUX_ONLY())
STORY(recovered_directory_spared, ON_LINUX_ONLY())
STORY(discarded_twice, ON_LINUX_ONLY())
STORY(set_aside_and_back, ON_LINUX_ONLY())
STORY(attributes_not_copied, ON_LINUX_ONLY())
STORY(register_unreadable_right_before, ON_LINUX_ONLY())
STORY(room_not_opened, ON_LINUX_ONLY())

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(what_took_the_name_stays), TEST(mount_within_an_item),
        TEST(directory_unreadable),     TEST(recovered_directory_spared),
        TEST(discarded_twice),          TEST(set_aside_and_back),
        TEST(attributes_not_copied),    TEST(register_unreadable_right_before),
        TEST(room_not_opened),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
