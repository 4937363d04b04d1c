/* SPDX-License-Identifier: Apache-2.0 */
/* The safety core: reaching, identifying, publishing, guarding; and the acts on top of it. */
#include "act/acts.h"
#include "file/changes.h"
#include "file/fresh.h"
#include "file/identity.h"
#include "file/parents.h"
#include "file/reach.h"
#include "olvido/guard.h"
#include "olvido/path.h"
#include "olvido/session.h"
#include "olvido/text.h"
#include "os/durable.h"
#include "os/os.h"
#include "os/private.h"
#include "source/asking.h"
#include "source/destination.h"
#include "source/records.h"
#include "support/sandbox.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

static struct olv_stat look_at(const struct sandbox *s, const char *name)
{
    struct olv_stat stat;
    assert_true(olv_os_stat(AT_FDCWD, in(s, name), &stat));
    return stat;
}

/* A decision about a file of the sandbox, as a plan would make it. */
static struct olv_docket_entry decision(const struct sandbox *s, const char *directory, const char *name)
{
    struct olv_docket_entry e = {
        .rule = 0, .rule_name = "scratch", .step = 1, .act = &act_discard, .name = name, .target = ""};
    char path[512];
    struct olv_stat dir = look_at(s, directory);
    snprintf(path, sizeof path, "%s/%s", directory, name);
    struct olv_stat file = look_at(s, path);
    e.identity = olv_identity_of(&file);
    e.links = file.links;
    e.directory = in(s, directory);
    e.at = olv_directory_id_of(&dir);
    return e;
}

/* ---- identity ---- */

static void a_file_is_known_again_until_anything_about_it_changes(void **state)
{
    const struct sandbox *s = *state;
    struct olv_stat stat, other;
    struct olv_identity identity;
    make_file(s, "a", "abc", 10);
    stat = look_at(s, "a");
    identity = olv_identity_of(&stat);
    assert_true(olv_identity_holds(&identity, &stat, true));
    other = stat;
    other.size_bytes++;
    assert_false(olv_identity_holds(&identity, &other, true));
    other = stat;
    other.modified.ns ^= 1;
    assert_false(olv_identity_holds(&identity, &other, true));
    other = stat;
    other.inode++;
    assert_false(olv_identity_holds(&identity, &other, true));
    other = stat;
    other.mount++;
    assert_false(olv_identity_holds(&identity, &other, true));
    other = stat;
    other.kind = OLV_KIND_LINK;
    assert_false(olv_identity_holds(&identity, &other, true));
    other = stat;
    other.born.s++;
    assert_int_equal(olv_identity_holds(&identity, &other, true), !stat.has_born);
}

static void a_rename_changes_the_state_and_not_the_file(void **state)
{
    const struct sandbox *s = *state;
    struct olv_stat stat;
    struct olv_identity identity;
    make_file(s, "a", "abc", 10);
    stat = look_at(s, "a");
    identity = olv_identity_of(&stat);
    nanosleep(&(struct timespec){.tv_nsec = 20000000},
              NULL); /* more than a tick of the file system's clock */
    assert_int_equal(rename(in(s, "a"), in(s, "b")), 0);
    stat = look_at(s, "b");
    assert_true(olv_identity_holds(&identity, &stat, false));
    assert_false(olv_identity_holds(&identity, &stat, true));
}

static void a_directory_is_ours_only_when_nobody_else_can_write_in_it(void **state)
{
    struct olv_stat dir = {.kind = OLV_KIND_DIRECTORY, .owner = (uint32_t)geteuid(), .mode = 0755};
    (void)state;
    assert_true(olv_directory_is_ours(&dir));
    dir.mode = 0775;
    assert_false(olv_directory_is_ours(&dir));
    dir.mode = 01777;
    assert_false(olv_directory_is_ours(&dir));
    dir.mode = 0700;
    dir.owner = 4242;
    assert_false(olv_directory_is_ours(&dir));
    dir.owner = 0;
    assert_true(olv_directory_is_ours(&dir));
}

/* ---- reaching ---- */

static void links_are_never_followed_on_the_way(void **state)
{
    const struct sandbox *s = *state;
    int fd, dir;
    make_dir(s, "real");
    make_dir(s, "real/inner");
    assert_int_equal(symlink("real", in(s, "link")), 0);
    fd = olv_os_open_path(in(s, "real/inner"));
    assert_true(fd >= 0);
    close(fd);
    assert_int_equal(olv_os_open_path(in(s, "link/inner")), -1);
    assert_int_equal(errno, ELOOP);
    assert_int_equal(olv_os_open_path(in(s, "link")), -1);
    dir = open(s->path, O_RDONLY | O_DIRECTORY);
    assert_int_equal(olv_os_open_dir(dir, "link", true), -1);
    assert_int_equal(olv_os_open_dir(dir, "real/../..", true), -1); /* out of the tree */
    assert_int_equal(errno, EXDEV);
    close(dir);
}

static void a_directory_is_reached_once_for_all_its_files(void **state)
{
    const struct sandbox *s = *state;
    struct olv_reach reach;
    struct olv_docket_entry a, b, other;
    struct olv_error err = {0};
    int fd;
    make_dir(s, "d");
    make_dir(s, "e");
    make_file(s, "d/a", "x", 1);
    make_file(s, "d/b", "x", 1);
    make_file(s, "e/c", "x", 1);
    a = decision(s, "d", "a");
    b = decision(s, "d", "b");
    other = decision(s, "e", "c");
    olv_reach_begin(&reach);
    assert_true(olv_reach_directory(&reach, &a, &err));
    fd = reach.fd;
    assert_true(olv_reach_directory(&reach, &b, &err));
    assert_int_equal(fd, reach.fd);
    assert_true(olv_reach_directory(&reach, &other, &err));
    assert_int_equal(reach.inode, other.at.inode);
    rename(in(s, "d"), in(s, "moved"));
    make_dir(s, "d");
    assert_false(olv_reach_directory(&reach, &a, &err));
    assert_int_equal(err.code, OLV_CHANGED);
    rmdir(in(s, "d"));
    assert_false(olv_reach_directory(&reach, &a, &err));
    assert_int_equal(err.code, OLV_CHANGED);
    olv_reach_end(&reach);
}

/* Empty directories are reached from what was in them; everything else by its path, each time. */
static void only_what_is_empty_is_reached_from_below(void **state)
{
    const struct sandbox *s = *state;
    struct olv_reach reach;
    struct olv_docket_entry inner, middle, upper;
    struct olv_error err = {0};
    make_dir(s, "d");
    make_dir(s, "d/e");
    make_dir(s, "d/e/f");
    make_dir(s, "other");
    inner = decision(s, "d/e", "f");
    middle = decision(s, "d", "e");
    upper = decision(s, ".", "d");
    inner.act = middle.act = upper.act = olv_act_named("sweep");
    olv_reach_begin(&reach);
    assert_true(olv_reach_directory(&reach, &inner, &err));
    rename(in(s, "d"), in(s, "moved")); /* with all that is in it */
    assert_true(olv_reach_directory(&reach, &middle, &err));
    assert_int_equal(reach.inode, middle.at.inode);
    assert_string_equal(olv_text_string(&reach.path), in(s, "d"));
    rename(in(s, "moved"), in(s, "d"));
    assert_true(olv_reach_directory(&reach, &inner, &err));
    middle.act = olv_act_named("delete");
    rename(in(s, "d"), in(s, "moved"));
    assert_false(olv_reach_directory(&reach, &middle, &err));
    assert_int_equal(err.code, OLV_CHANGED);
    rename(in(s, "moved"), in(s, "d"));
    middle.act = upper.act;
    assert_true(olv_reach_directory(&reach, &inner, &err));
    rename(in(s, "d/e"), in(s, "other/e")); /* what is above it now is not what was judged */
    assert_true(olv_reach_directory(&reach, &middle, &err));
    assert_int_equal(reach.inode, middle.at.inode);
    olv_reach_end(&reach);
}

/* ---- publishing and private places ---- */

static void a_file_is_published_whole_or_not_at_all(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct olv_text text = {0};
    int dir = open(s->path, O_RDONLY | O_DIRECTORY);
    assert_true(olv_publish(dir, "checkpoint", "one", 3, &err));
    make_file(s, "checkpoint.new", "left over from a crash", 0);
    assert_true(olv_publish(dir, "checkpoint", "second", 6, &err));
    assert_true(olv_read_file(dir, "checkpoint", 100, &text, &err));
    assert_string_equal(text.data, "second");
    assert_false(exists(s, "checkpoint.new"));
    assert_false(olv_read_file(dir, "checkpoint", 5, &text, &err)); /* larger than allowed */
    assert_false(olv_write_new(dir, "checkpoint", "x", 1, &err));
    assert_int_equal(err.sys, EEXIST);
    assert_int_equal(symlink("checkpoint", in(s, "link")), 0);
    assert_false(olv_read_file(dir, "link", 100, &text, &err));
    olv_text_free(&text);
    close(dir);
}

static void parents_are_made_and_private_places_examined(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct stat st;
    int fd;
    assert_true(olv_make_parents(in(s, "x/y/z"), &err));
    assert_true(exists(s, "x/y"));
    assert_false(exists(s, "x/y/z"));
    fd = olv_private_open(AT_FDCWD, in(s, "x/y/z"), true, "z", "the place", &err);
    assert_true(fd >= 0);
    assert_int_equal(fstat(fd, &st), 0);
    assert_int_equal(st.st_mode & 07777, 0700);
    close(fd);
    make_file(s, "file", "x", 1);
    assert_false(olv_make_parents(in(s, "file/below/it"), &err));
    assert_int_equal(err.sys, ENOTDIR);
    assert_int_equal(olv_private_open(AT_FDCWD, in(s, "none"), false, "none", "the place", &err), -1);
    assert_int_equal(err.sys, ENOENT);
}

/* A path longer than a system call takes is gone by pieces: opened, resolved, made, and settled. */
static void a_path_is_reached_whatever_its_length(void **state)
{
    const struct sandbox *s = *state;
    struct olv_stat inhabitant = {.owner = geteuid(), .group = getegid()}, stat;
    struct olv_text path = {0};
    struct olv_error err = {0};
    char part[FRESH_LABEL + 32];
    const char *name;
    char *real;
    int fd;
    fresh_name("0123456789", part);
    olv_text_puts(&path, s->path);
    for (int i = 0; i < 3000; i++)
        olv_text_puts(&path, i % 500 ? "/tide" : "/a-longer-name-for-a-change");
    olv_text_puts(&path, "/r.csv");
    assert_int_equal(destination_open(path.data, &name, &err), -1);
    assert_int_equal(err.sys, ENOENT);
    olv_error_clear(&err);
    fd = parents_open(path.data, &inhabitant, "0123456789", &err);
    assert_true(fd >= 0);
    assert_int_equal(mkdirat(fd, part, 0700), 0);
    close(fd);
    fd = destination_open(path.data, &name, &err);
    assert_true(fd >= 0);
    assert_string_equal(name, "r.csv");
    assert_true(olv_os_stat(fd, part, &stat));
    parents_finish(path.data, "0123456789");
    assert_false(olv_os_stat(fd, part, &stat));
    assert_false(olv_os_stat_path(path.data, &stat));
    assert_int_equal(errno, ENOENT);
    assert_int_equal(mkdirat(fd, name, 0700), 0);
    close(fd);
    assert_true(olv_os_stat_path(path.data, &stat));
    assert_int_equal(stat.kind, OLV_KIND_DIRECTORY);
    real = olv_path_real(path.data);
    assert_non_null(real);
    assert_string_equal(real, path.data);
    free(real);
    assert_int_equal(symlinkat("/", AT_FDCWD, in(s, "out")), 0);
    assert_true(olv_os_stat_path(in(s, "out/etc"), &stat)); /* one call follows links on the way */
    olv_text_clear(&path);
    olv_text_printf(&path, "%s%s", in(s, "out"), real = strdup(s->path));
    free(real);
    for (int i = 0; i < 2000; i++)
        olv_text_puts(&path, i % 500 ? "/tide" : "/a-longer-name-for-a-change");
    assert_int_equal(olv_os_open_path(path.data), -1); /* through a link */
    assert_int_equal(errno, ELOOP);
    real = olv_path_real(path.data);
    assert_non_null(real);
    assert_string_equal(real, path.data + strlen(in(s, "out")));
    free(real);
    if (geteuid() == 0) { /* somebody else's link leads nowhere */
        assert_int_equal(lchown(in(s, "out"), 65534, 65534), 0);
        assert_null(olv_path_real(path.data));
        assert_int_equal(errno, ELOOP);
    }
    alarm(10); /* it ends */
    parents_finish("tides", "0123456789");
    alarm(0);
    olv_text_free(&path);
}

static void a_path_is_cut_name_by_name(void **state)
{
    static const char *const cases[][2] = {
        {"/a/b", "/a"}, {"/a", "/"},  {"/", "/"},    {"/a//b/", "/a"}, {"a/b", "a"},        {"a", ""},
        {"", ""},       {"//a", "/"}, {"a/b/", "a"}, {"./a", "."},     {"/a/../b", "/a/.."}};
    char path[32];
    (void)state;
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        snprintf(path, sizeof path, "%s", cases[i][0]);
        olv_path_cut(path);
        assert_string_equal(path, cases[i][1]);
    }
}

/* ---- guards ---- */

static void system_directories_are_known_by_whole_components(void **state)
{
    static const char *const guarded[] = {"/etc", "/etc/olvido", "/usr/share/doc", "/lib64/x",
                                          "/lib", "/boot",       "/run/user/1000"};
    static const char *const free_ones[] = {"/",          "/srv/etc", "/etcetera", "/home/marina/usr",
                                            "/users",     "/var/lib", "/binaries", "/library",
                                            "/lib64-kept"};
    (void)state;
    for (size_t i = 0; i < sizeof guarded / sizeof *guarded; i++)
        assert_int_equal(olv_guard_of(NULL, guarded[i]), OLV_SYSTEM_PLACE);
    for (size_t i = 0; i < sizeof free_ones / sizeof *free_ones; i++)
        assert_int_equal(olv_guard_of(NULL, free_ones[i]), OLV_NO_BARRIER);
}

static void own_places_are_known_through_any_name(void **state)
{
    const struct sandbox *s = *state;
    struct olv_guard guard = {0};
    struct olv_stat stat;
    make_dir(s, "own");
    make_dir(s, "other");
    assert_int_equal(symlink("own", in(s, "alias")), 0);
    olv_guard_add(&guard, in(s, "alias/../alias/"));
    olv_guard_add(&guard, in(s, "missing"));
    assert_int_equal(guard.own_count, 1);
    stat = look_at(s, "own");
    assert_true(olv_guard_is_own(&guard, stat.device, stat.inode));
    stat = look_at(s, "other");
    assert_false(olv_guard_is_own(&guard, stat.device, stat.inode));
    make_dir(s, "own/keys");
    assert_int_equal(olv_guard_of(&guard, in(s, "own/keys")), OLV_OWN_PLACE);
    assert_int_equal(olv_guard_of(&guard, in(s, "own")), OLV_OWN_PLACE);
    assert_int_equal(olv_guard_of(&guard, in(s, "owned")), OLV_NO_BARRIER);
    olv_guard_free(&guard);
}

/* However many there are; and where that cannot be known, no run begins. */
static void no_place_is_forgotten(void **state)
{
    const struct sandbox *s = *state;
    enum { MANY = 300 };
    struct olv_guard guard = {0};
    struct olv_session_options options = {.command = "test"};
    struct olv_session session;
    struct olv_run_result result;
    struct olv_error err = {0};
    char name[32];
    for (int i = 0; i < MANY; i++) {
        snprintf(name, sizeof name, "own-%d", i);
        make_dir(s, name);
        olv_guard_add(&guard, in(s, name));
    }
    for (int i = 0; i < MANY; i++) {
        struct olv_stat stat;
        snprintf(name, sizeof name, "own-%d", i);
        stat = look_at(s, name);
        assert_true(olv_guard_is_own(&guard, stat.device, stat.inode));
        assert_int_equal(olv_guard_of(&guard, in(s, name)), OLV_OWN_PLACE);
    }
    assert_int_equal(guard.error.code, OLV_OK);
    assert_int_equal(symlink("round", in(s, "round")), 0);
    olv_guard_add(&guard, in(s, "round"));
    assert_int_equal(guard.error.sys, ELOOP);
    options.state = in(s, "state");
    options.policy_path = in(s, "round");
    assert_true(olv_session_open(&session, &options, &err));
    assert_int_equal(session.guard_error.sys, ELOOP);
    assert_false(olv_session_carry_out(&session, NULL, NULL, &result, &err));
    assert_int_equal(err.sys, ELOOP);
    assert_false(result.has_begun);
    olv_session_close(&session);
    olv_guard_free(&guard);
}

/* ---- acts ---- */

/* Moves in two steps that acts have announced: where a rename cannot be exclusive. */
static unsigned announced;

bool __wrap_record_move(const struct turn *turn, const struct announced_move *move, struct olv_error *err);
bool __wrap_record_move(const struct turn *turn, const struct announced_move *move, struct olv_error *err)
{
    (void)err;
    announced += turn->sequence == 1 && *move->from && *move->to;
    return true;
}

static struct changes changes;

static void carry_out(struct turn *turn, const struct olv_act *act, struct olv_docket_entry *e,
                      struct olv_outcome *o)
{
    int fd;
    own_change_follow(turn, turn->directory.fd, e);
    if (!ask_about(turn, &turn->directory, e, false, o))
        return;
    fd = own_change_begin(&turn->directory, e);
    act->hooks->apply(turn, e, o);
    own_change_end(turn, fd, o->result == OLV_DONE);
}

static struct olv_outcome act_on(const struct sandbox *s, const struct olv_act *act,
                                 struct olv_docket_entry *e, const struct olv_guard *guard)
{
    struct olv_session session = {.guard = *guard, .trashes = olv_trashes_new(in(s, "data/Trash"))};
    struct turn c = {.session = &session,
                     .run = {.id = "20261003-1405-abcd", .now = {1795000000, 0}, .changes = &changes},
                     .sequence = 1};
    struct olv_outcome o = {0};
    e->act = act;
    assert_non_null(session.trashes);
    olv_reach_begin(&c.directory);
    if (olv_reach_directory(&c.directory, e, &o.error) &&
        (!act->hooks->find_trash || (c.trash = act->hooks->find_trash(&c, e, &o.error))))
        carry_out(&c, act, e, &o);
    else
        outcome_failed(&o);
    asking_end(&c);
    olv_reach_end(&c.directory);
    olv_text_free(&c.scratch.path);
    olv_trashes_free(session.trashes);
    return o;
}

static void discard_takes_only_what_was_judged(void **state)
{
    const bool has_two_steps = strcmp(MOVING_CALL, "linkat") == 0;
    const struct sandbox *s = *state;
    struct olv_guard guard = {0};
    struct olv_docket_entry e;
    struct olv_outcome o;
    make_dir(s, "d");
    make_file(s, "d/a", "old", 10);
    e = decision(s, "d", "a");
    make_file(s, "d/a", "new", 10);
    o = act_on(s, &act_discard, &e, &guard);
    assert_int_equal(o.result, OLV_LEFT);
    assert_true(exists(s, "d/a"));
    assert_int_equal(announced, 0);
    e = decision(s, "d", "a");
    o = act_on(s, &act_discard, &e, &guard);
    assert_int_equal(o.result, OLV_DONE);
    assert_int_equal(announced > 0, has_two_steps);
    assert_string_equal(o.trash, "a");
    o = act_on(s, &act_discard, &e, &guard);
    assert_int_equal(o.result, OLV_LEFT);
    assert_contains(o.error.what, "gone");
}

/* What our own act on one name changed of the others is no change; what somebody else did in between is. */
static void other_names_of_a_file_follow_our_own_changes(void **state)
{
    const struct sandbox *s = *state;
    struct olv_guard guard = {0};
    struct olv_docket_entry e[4];
    make_dir(s, "d");
    make_file(s, "d/a", "old", 10);
    assert_int_equal(link(in(s, "d/a"), in(s, "d/b")) + link(in(s, "d/a"), in(s, "d/c")), 0);
    for (int i = 0; i < 3; i++)
        e[i] = decision(s, "d", (const char *const[]){"a", "b", "c"}[i]);
    assert_int_equal(act_on(s, &act_discard, &e[0], &guard).result, OLV_DONE);
    assert_int_equal(act_on(s, &act_discard, &e[1], &guard).result, OLV_DONE);
    assert_int_equal(chmod(in(s, "d/c"), 0600), 0);
    assert_int_equal(act_on(s, &act_discard, &e[2], &guard).result, OLV_LEFT);
    assert_true(exists(s, "d/c"));
    changes_free(&changes);
    make_file(s, "d/x", "old", 10);
    assert_int_equal(link(in(s, "d/x"), in(s, "d/y")), 0);
    e[0] = decision(s, "d", "x");
    e[1] = decision(s, "d", "y");
    assert_int_equal(chmod(in(s, "d/x"), 0600), 0); /* before the first */
    assert_int_equal(act_on(s, &act_discard, &e[0], &guard).result, OLV_LEFT);
    assert_int_equal(act_on(s, &act_discard, &e[1], &guard).result, OLV_LEFT);
    changes_free(&changes);
}

/* However many there are; and each in the state in which our last change left it. */
static void own_changes_are_known_of_many_files(void **state)
{
    enum { MANY = 5000 };
    struct olv_stat stat = {.mount = 3, .links = 2, .changed = {1795000000, 7}};
    struct changes c = {0};
    (void)state;
    assert_false(changes_made(&c, &stat));
    for (uint64_t i = 1; i <= MANY; i++) {
        stat.inode = i * 4096;
        changes_note(&c, &stat);
    }
    for (uint64_t i = 1; i <= MANY; i++) {
        stat.inode = i * 4096;
        assert_true(changes_made(&c, &stat));
    }
    stat.inode = 1;
    assert_false(changes_made(&c, &stat));
    stat.inode = 4096;
    stat.mount = 4; /* the same number on another file system */
    assert_false(changes_made(&c, &stat));
    stat.mount = 3;
    stat.links = 1; /* somebody else removed a name */
    assert_false(changes_made(&c, &stat));
    changes_note(&c, &stat);
    assert_true(changes_made(&c, &stat));
    stat.changed.ns++;
    assert_false(changes_made(&c, &stat));
    changes_free(&c);
}

static void discard_leaves_own_files_and_system_directories_alone(void **state)
{
    const struct sandbox *s = *state;
    struct olv_guard guard = {0};
    struct olv_docket_entry e;
    make_dir(s, "d");
    make_file(s, "d/policy.yaml", "x", 10);
    olv_guard_add(&guard, in(s, "d/policy.yaml"));
    e = decision(s, "d", "policy.yaml");
    assert_int_equal(act_on(s, &act_discard, &e, &guard).result, OLV_LEFT);
    olv_guard_free(&guard);
    assert_true(exists(s, "d/policy.yaml"));
}

static void tell_touches_nothing(void **state)
{
    const struct sandbox *s = *state;
    struct olv_guard guard = {0};
    struct olv_docket_entry e;
    make_dir(s, "d");
    make_file(s, "d/a", "x", 10);
    e = decision(s, "d", "a");
    assert_int_equal(act_on(s, &act_tell, &e, &guard).result, OLV_DONE);
    assert_true(exists(s, "d/a"));
    assert_null(olv_act_named("destroy")); /* not built: no stub pretends to be it */
    assert_null(act_keep.hooks);
}

/* In a directory where others may write, somebody puts another file under the name between the look and the
 * rename. Here the swap is made beforehand and the first look is answered from memory, which is what losing
 * that race means. */
#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_file_is_known_again_until_anything_about_it_changes),
        TEST(a_rename_changes_the_state_and_not_the_file),
        TEST(a_directory_is_ours_only_when_nobody_else_can_write_in_it),
        TEST(links_are_never_followed_on_the_way),
        TEST(a_directory_is_reached_once_for_all_its_files),
        TEST(only_what_is_empty_is_reached_from_below),
        TEST(a_file_is_published_whole_or_not_at_all),
        TEST(parents_are_made_and_private_places_examined),
        TEST(a_path_is_reached_whatever_its_length),
        TEST(a_path_is_cut_name_by_name),
        TEST(system_directories_are_known_by_whole_components),
        TEST(own_places_are_known_through_any_name),
        TEST(no_place_is_forgotten),
        TEST(discard_takes_only_what_was_judged),
        TEST(other_names_of_a_file_follow_our_own_changes),
        TEST(own_changes_are_known_of_many_files),
        TEST(discard_leaves_own_files_and_system_directories_alone),
        TEST(tell_touches_nothing),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
