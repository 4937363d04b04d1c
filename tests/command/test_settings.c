/* SPDX-License-Identifier: Apache-2.0 */
/* A person's standing habits: only more careful, told where they come from, and the system may forbid some.
 */
#include "support/command.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

/* As a user with a home of his own: `somebody ARGUMENTS…`; and `with_etc SCRIPT` with an /etc of one's own.
 */
static const char stage[] =
    "mkdir -p home/.config/olvido home/w etc\n"
    "settings() { printf 'olvido: 1\\n%s\\n' \"$1\" >home/.config/olvido/settings.yaml; }\n"
    "mine() { chmod -R go-w home; chown -R 65534:65534 home; chmod 711 .; }\n"
    "somebody() { (cd home/w; HOME=$PWD/.. XDG_DATA_HOME= XDG_STATE_HOME= XDG_CONFIG_HOME= setpriv "
    "--reuid=65534 "
    "--regid=65534 --clear-groups \"${O%% *}\" \"$@\"); }\n"
    "status() { want=$1; shift; got=0; \"$@\" >out 2>err || got=$?; cat out err; [ $got = $want ]; }\n"
    "with_etc() { mkdir -p upper/olvido work; unshare -m sh -ec \"mount -t overlay -o "
    "lowerdir=/etc,upperdir=$PWD/upper,workdir=$PWD/work x /etc; . ./job\"; }\n";

static void story(const struct sandbox *s, const char *script)
{
    if (geteuid() != 0)
        skip();
    make_file(s, "stage", stage, 0);
    shell_staged(s, ". ./stage; export O\n", script);
}

static void one_may_want_to_be_asked_always(void **state)
{
    ON_LINUX_ONLY();
    story(*state, "set -e; settings 'ask: always'; echo x >home/w/a; mine\n"
                  "status 3 somebody discard a\n"
                  "grep -F 'this needs an answer (you want to be asked (`ask: always` in ' err\n"
                  "grep -F '/.config/olvido/settings.yaml)' err; [ -e home/w/a ]\n"
                  "status 0 somebody discard a --yes\n"
                  "status 0 somebody recover a; status 0 somebody check /dev/null || true\n"
                  "settings 'ask: needed'; mine; status 0 somebody discard a; [ ! -e home/w/a ]");
}

static void a_taken_name_is_met_as_one_is_used_to(void **state)
{
    ON_LINUX_ONLY();
    story(*state, "set -e; settings 'if-exists: number'; echo x >home/w/a; mine\n"
                  "somebody discard a; echo new >home/w/a; mine; status 0 somebody recover a\n"
                  "grep -x x 'home/w/a (2)'; grep -x new home/w/a\n"
                  "somebody discard 'a (2)'; echo y >'home/w/a (2)'; mine; "
                  "status 3 somebody recover 'a (2)' --if-exists refuse");
}

static void mistakes_stop_what_acts(void **state)
{
    ON_LINUX_ONLY();
    story(
        *state,
        "set -e; echo x >home/w/a; settings 'aks: always'; mine; status 2 somebody discard a\n"
        "grep -F 'there is no key `aks` here' err; grep -F 'did you mean `ask`?' err; [ -e home/w/a ]\n"
        "settings 'if-exists: replace'; mine; status 2 somebody discard a; grep -F 'is said each time' err\n"
        "settings 'ask: alwyas'; mine; status 2 somebody discard a; grep -F 'there is no setting ask: "
        "`alwyas`' err\n"
        "settings 'forbid: [ ask ]'; mine; status 2 somebody discard a; grep -F 'only the system' err\n"
        "printf 'olvido: [\\n' >home/.config/olvido/settings.yaml; mine; status 2 somebody discard a\n"
        "[ -e home/w/a ]; printf 'olvido: 1\\nrules: [ { name: a, under: %s/home/w, steps: [ { after: 1 day, "
        "do: "
        "tell } ] } ]\\n' \"$PWD\" >home/w/p.yaml; settings 'ask: alwyas'; mine; status 2 somebody check "
        "p.yaml\n"
        "grep -F alwyas err; settings 'ask: always'; mine; status 0 somebody check p.yaml\n"
        "grep -F 'settings.yaml: sound' err; status 0 somebody --policy p.yaml explain a\n"
        "grep -E 'Settings +ask: always, by .*settings.yaml' out\n"
        ": >home/.config/olvido/settings.yaml; mine; status 0 somebody discard a"); /* it says nothing */
}

static void the_system_may_forbid_and_roots_file_must_be_roots(void **state)
{
    ON_LINUX_ONLY();
    story(*state,
          "set -e; settings 'ask: always\nif-exists: number'; echo x >home/w/a; mine\n"
          "cat >job <<'END'\n"
          "printf 'olvido: 1\\nforbid: [ ask ]\\n' >/etc/olvido/settings.yaml\n"
          ". ./stage; status 0 somebody discard a; status 0 somebody recover a; status 0 somebody discard a\n"
          "echo y >home/w/a; mine; status 0 somebody recover a; [ -e 'home/w/a (2)' ]\n"
          "printf 'olvido: 1\\nask: always\\n' >/etc/olvido/settings.yaml\n"
          "echo x >b; status 3 $O discard b; grep -F '`ask: always` in /etc/olvido/settings.yaml' err\n"
          "chmod 666 /etc/olvido/settings.yaml; status 0 $O discard b; grep -F 'is ignored' err\n"
          "END\n"
          "with_etc");
}

static void unattended_runs_have_no_habits_of_a_person(void **state)
{
    ON_LINUX_ONLY();
    story(*state,
          "set -e; settings 'ask: alwyas'; mine\n"
          "printf 'olvido: 1\\nrules: [ { name: a, under: %s/home/w, steps: [ { after: 1 day, do: tell } ] } "
          "]\\n' \"$PWD\" >home/w/p.yaml; mine\n"
          "status 0 somebody --policy p.yaml enforce --unattended\n"
          "status 2 somebody --policy p.yaml enforce --yes");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(one_may_want_to_be_asked_always),
        TEST(a_taken_name_is_met_as_one_is_used_to),
        TEST(mistakes_stop_what_acts),
        TEST(the_system_may_forbid_and_roots_file_must_be_roots),
        TEST(unattended_runs_have_no_habits_of_a_person),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
