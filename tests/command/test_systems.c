/* SPDX-License-Identifier: Apache-2.0 */
/* Removing by hand on real file systems, each on an image of its own. */
#include "support/systems.h"

static const char common[] =
    "mkdir -p w/a/b/c w/e/e w/t; echo 1 >w/a/1; echo 22 >w/a/b/2; ln w/a/1 w/a/twin; ln -s a w/link; mkfifo "
    "w/pipe\n"
    "chmod 700 .; status 0 $O discard w/a --yes; says '3 files and 1 directory discarded'\n"
    "status 0 $O recover w/a; [ -e w/a/b/c ] || fail 'not back'; [ \"$(stat -c %h w/a/1)\" = 2 ] || fail "
    "links\n"
    "status 0 $O delete w/a/1 w/a/twin; says '2 deleted'\n"
    "status 0 $O sweep w/e; says '2 directories swept'; [ ! -e w/e ] || fail 'not swept'\n"
    "status 0 $O recover --run $($O --json audit show --act sweep | sed -n "
    "'s/.*\"run\":\"\\([^\"]*\\)\".*/\\1/p' | head -n 1)\n"
    "[ -d w/e/e ] || fail 'not made again'\n"
    "status 0 $O delete w/link w/pipe --yes; [ -e w/a ] || fail 'followed the link'\n"
    "chmod 1777 w/t; mkdir -p w/t/x/y; echo x >w/t/x/f; chmod 777 w/t/x\n"
    "status 0 $O delete --tree w/t/x --count 1; [ ! -e w/t/x ] || fail 'not deleted'\n"
    "status 0 $O discard --contents w --yes; [ -z \"$(ls -A w)\" ] || fail 'not empty'\n"
    "status 0 $O trash clear --count $(ls .Trash-0/files 2>/dev/null | wc -l) || true\n"
    "status 0 $O audit verify\n";

static void on_ext4(void **state)
{
    on_system(*state, "ext4", common);
}

static void on_xfs(void **state)
{
    on_system(*state, "xfs", common);
}

static void on_btrfs(void **state)
{
    on_system(*state, "btrfs", common);
}

static void on_tmpfs(void **state)
{
    on_system(*state, "tmpfs", common);
}

static void on_an_overlay(void **state)
{
    on_system(*state, "overlay", common);
}

/* For guards, walks, --tree, --contents, sweep, and a rule about directories. */
static void the_root_of_a_subvolume_is_a_mount_point(void **state)
{
    on_system(
        *state, "btrfs",
        "btrfs subvolume create full >/dev/null; echo x >full/f; btrfs subvolume create void >/dev/null\n"
        "mkdir -p d/e; echo y >d/f; btrfs subvolume create d/e/sub >/dev/null; echo z >d/e/sub/g\n"
        "for c in discard 'delete --tree' sweep; do\n"
        "  status 3 $O $c void --yes; says 'it is the root of a subvolume'; [ -d void ] || fail \"$c void\"; "
        "done\n"
        "status 3 $O discard full --yes; says 'it is the root of a subvolume'; [ -e full/f ] || fail gone\n"
        "status 3 $O discard d --yes; says 'd/e/sub'; [ -e d/e/sub/g ] || fail 'gone with it'\n"
        "status 3 $O delete --tree d --count 1; [ -e d/e/sub/g ] || fail 'deleted in it'; [ ! -e d/f ] || "
        "fail left\n"
        "status 3 $O sweep d; [ -d d/e/sub ] || fail swept\n"
        "status 3 $O delete --contents full --yes; [ -e full/f ] || fail 'a file system was emptied'\n"
        "status 0 $O delete --contents full --count 1; [ ! -e full/f ] || fail 'not emptied'\n"
        "find . -exec touch -h -d '100 days ago' {} +\n"
        "printf 'olvido: 1\\nrules: [ { name: a, under: %s, where: kind = directory, steps: [ { after: 1 "
        "day, "
        "do: discard "
        "} ] } ]\\n' $PWD >$top/p.yaml\n"
        "status 0 $O --policy $top/p.yaml enforce --yes; [ -d void ] && [ -d full ] && [ -d d/e/sub ] || "
        "fail "
        "'by rule'\n"
        "sed -i 's/do: discard/do: sweep/' $top/p.yaml; status 0 $O --policy $top/p.yaml enforce --yes\n"
        "[ -d void ] && [ -d full ] && [ -d d/e/sub ] || fail 'swept by rule'");
}

/* A snapshot that is read-only, on a mount that is not. */
static void what_cannot_be_changed_is_found_before(void **state)
{
    on_system(
        *state, "btrfs",
        "btrfs subvolume create s >/dev/null; mkdir s/d; echo x >s/d/f; echo y >s/g\n"
        "btrfs subvolume snapshot -r s ro >/dev/null; echo z >h\n"
        "status 3 $O delete ro/d/f ro/g h; says 'ro/g: its directory cannot be changed: Read-only file "
        "system'\n"
        "says '1 deleted'; [ -e ro/d/f ] && [ ! -e h ] || fail 'not so'\n"
        "status 3 $O discard ro/d --yes; status 3 $O sweep ro/d; status 3 $O delete --tree ro/d --count 1\n"
        "[ -e ro/d/f ] || fail gone");
}

/* It fits into no room there, and not back by itself. */
static void what_belongs_to_another_project_goes_and_comes_back(void **state)
{
    on_system(*state, "xfs",
              "mkdir p; echo 1 >p/a; echo 2 >p/b; mkdir p/d; echo 3 >p/d/f; echo 4 >p/c\n"
              "xfs_io -c 'chproj 42' p; xfs_io -c 'chattr +P' p; xfs_io -c 'chproj 7' p/c\n"
              "project() { xfs_io -r -c lsproj $1 | sed 's/.*= *//'; }\n"
              "[ \"$(project p)\" = 42 ] && [ \"$(project p/a)\" = 0 ] || fail 'no projects'\n"
              "status 0 $O delete p/b; [ ! -e p/b ] || fail 'not deleted'\n"
              "status 0 $O delete --tree p/d --count 1; [ ! -e p/d ] || fail 'not deleted: d'\n"
              "status 0 $O discard p/c; status 0 $O recover p/c; [ \"$(cat p/c)\" = 4 ] || fail 'not back'\n"
              "[ \"$(project p/c)\" = 7 ] || fail 'of another project by now'\n"
              "status 0 $O audit verify");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, systems_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(on_ext4),
        TEST(on_xfs),
        TEST(on_btrfs),
        TEST(on_tmpfs),
        TEST(on_an_overlay),
        TEST(the_root_of_a_subvolume_is_a_mount_point),
        TEST(what_cannot_be_changed_is_found_before),
        TEST(what_belongs_to_another_project_goes_and_comes_back),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
