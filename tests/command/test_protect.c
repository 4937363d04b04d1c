/* SPDX-License-Identifier: Apache-2.0 */
/* protect and unprotect by hand, on real file systems. */
#include "support/systems.h"

#include <string.h>

#define TOLD(name, words) "set -- " words "\n. $OLVIDO_SOURCE/tests/command/scripts/" name ".sh"

#define ON_EACH(name)                                                                                        \
    static void name##_on_ext4(void **state)                                                                 \
    {                                                                                                        \
        on_system(*state, "ext4", TOLD(#name, "ext4"));                                                      \
    }                                                                                                        \
    static void name##_on_xfs(void **state)                                                                  \
    {                                                                                                        \
        on_system(*state, "xfs", TOLD(#name, "xfs"));                                                        \
    }                                                                                                        \
    static void name##_on_btrfs(void **state)                                                                \
    {                                                                                                        \
        on_system(*state, "btrfs", TOLD(#name, "btrfs"));                                                    \
    }                                                                                                        \
    static void name##_on_tmpfs(void **state)                                                                \
    {                                                                                                        \
        on_system(*state, "tmpfs", TOLD(#name, "tmpfs"));                                                    \
    }                                                                                                        \
    static void name##_on_an_overlay(void **state)                                                           \
    {                                                                                                        \
        on_system(*state, "overlay", TOLD(#name, "overlay"));                                                \
    }
#define TESTS_ON_EACH(name)                                                                                  \
    TEST(name##_on_ext4), TEST(name##_on_xfs), TEST(name##_on_btrfs), TEST(name##_on_tmpfs),                 \
        TEST(name##_on_an_overlay)

ON_EACH(protected_levels)
ON_EACH(protected_from_writers)

static void protected_strangers(void **state)
{
    on_system(*state, "ext4", TOLD("protected_strangers", "''"));
}

static void protected_by_policy(void **state)
{
    on_system(*state, "ext4", TOLD("protected_by_policy", "''"));
}

/* Without the capability, and where the file system has no such attributes: found out beforehand. */
static void what_is_missing_is_said_before_and_then(void **state)
{
    on_system(
        *state, "ext4",
        "echo x >f; printf 'olvido: 1\\nrules: [ { name: a, under: %s, steps: [ { after: 1 day, do: "
        "protect, as: frozen } ] } ]\\n' $PWD >$top/p.yaml\n"
        "status 0 $O --policy $top/p.yaml check; ! grep -q 'nothing can be protected' $top/out $top/err || "
        "fail "
        "warned\n"
        "less() { setpriv --bounding-set -linux_immutable --inh-caps -linux_immutable -- \"$@\"; }\n"
        "status 0 less $O --policy $top/p.yaml check; says 'CAP_LINUX_IMMUTABLE'\n"
        "status 1 less $O protect f --as frozen; says 'CAP_LINUX_IMMUTABLE'; says '--as readonly'\n"
        "status 0 less $O protect f --as readonly; status 0 less $O unprotect f\n"
        "mount -o remount,ro . && status 1 $O protect f --as frozen; says 'mounted read-only'; mount -o "
        "remount,rw .\n"
        "mkdir v; truncate -s 40M vfat; mkfs.vfat vfat >/dev/null 2>&1 && mount -o loop vfat v || exit 0\n"
        "echo x >v/f; status 1 $O protect v/f --as frozen; says 'has no such attribute'; umount v");
}

static void only_files_and_directories_are_protected(void **state)
{
    on_system(*state, "ext4",
              "echo x >f; ln -s f link; mkfifo pipe; mknod device c 1 3; mkdir -p tree/d; mkfifo tree/pipe\n"
              "status 3 $O protect link --as frozen; says 'it is a link'\n"
              "status 3 $O protect pipe --as readonly; says 'it is a pipe'\n"
              "status 3 $O protect device --as frozen; says 'it is a device'\n"
              "status 3 $O unprotect link; says 'it is a link'\n"
              "status 0 $O protect tree --tree --as frozen --yes; says '2 directories protected'\n"
              "status 0 $O unprotect tree --tree --yes\n"
              "status 1 $O protect nothing --as frozen; says 'No such file'\n"
              "status 2 $O protect f; says '--as readonly, --as append-only or --as frozen'\n"
              "status 2 $O protect f --as hard; says 'hard'\n"
              "status 2 $O protect --as frozen; says 'say what to protect'\n"
              "status 2 $O protect f --as readonly --with-parents; says '--as frozen'\n"
              "[ \"$(lsattr f | cut -c5)\" = - ] || fail frozen");
}

static void guarded_places_are_not_protected(void **state)
{
    on_system(*state, "ext4",
              "mkdir -p a/b mounted; echo x >a/b/f; mount -t tmpfs x mounted\n"
              "status 3 $O protect / --as frozen --yes; says 'never touched'\n"
              "for p in /etc/passwd /etc $PWD $top $top/state mounted; do\n"
              "  status 3 $O protect $p --as readonly --yes; says guarded; done\n"
              "umount mounted\n"
              "status 3 $O protect --as frozen $top/state/version --yes; says guarded\n"
              "status 0 $O protect --as frozen --with-parents a/b/f --yes; says '1 file and 2 directories'\n"
              "! mv a c 2>/dev/null || fail renamed\n"
              "status 0 $O unprotect --with-parents a/b/f --yes; mv a c\n"
              "status 0 $O protect c/b/f --as frozen; status 0 $O protect --show c/b/f\n"
              "says 'goes along if a directory above it is renamed'; says '--with-parents'\n"
              "mv c d; status 0 $O unprotect d/b/f; says '1 unprotected'; rm -r d");
}

/* Other names of the file are the same file. */
static void hard_links_are_protected_together(void **state)
{
    on_system(
        *state, "ext4",
        "chmod 755 .; mkdir a b; echo x >a/f; ln a/f b/g; ln a/f a/h\n"
        "status 0 $O protect a/f --as frozen; says 'its other names (hard links) are protected with it'\n"
        "! rm -f b/g 2>/dev/null || fail removed\n"
        "status 0 $O unprotect b/g; rm a/f\n"
        "status 0 $O protect --tree . --as readonly --yes --matching '**/*' || true\n"
        "status 0 $O protect a/h b/g --as frozen; says '2 protected'; status 0 $O unprotect b/g\n"
        "status 3 $O unprotect a/h; rm -r b");
}

/* It copies a file of its lower layer up, which is another file from then on. */
static void an_overlay_says_that_it_copies(void **state)
{
    on_system(*state, "overlay",
              "status 0 $O protect lower --as frozen; says 'the overlay made a copy of it'\n"
              "! rm -f lower 2>/dev/null || fail removed\n"
              "status 0 $O unprotect lower; says '1 unprotected'; rm lower");
}

static void a_tree_asks(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    make_dir(s, "permits");
    make_file(s, "permits/one", "x", 1);
    o = olvido_on_terminal(s, 120, "no\n", "protect", "permits", "--tree", "--as", "readonly", (char *)NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "Protect 1 file and 1 directory (1 B) as readonly?");
    assert_contains(o.out, "1 directory: please confirm");
    o = olvido_on_terminal(s, 120, "each\nyes\nno\n", "protect", "permits", "--tree", "--as", "readonly",
                           (char *)NULL);
    assert_contains(o.out, "/permits/one (1 B,");
    assert_status(&o, 3);
    shell_ok(s, "[ $(stat -c %a permits/one) = 444 ]; $O unprotect permits/one; [ $(stat -c %a permits/one) "
                "!= 444 ]");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, systems_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TESTS_ON_EACH(protected_levels),
        TESTS_ON_EACH(protected_from_writers),
        TEST(protected_strangers),
        TEST(protected_by_policy),
        TEST(what_is_missing_is_said_before_and_then),
        TEST(only_files_and_directories_are_protected),
        TEST(guarded_places_are_not_protected),
        TEST(hard_links_are_protected_together),
        TEST(an_overlay_says_that_it_copies),
        TEST(a_tree_asks),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
