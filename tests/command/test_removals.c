/* SPDX-License-Identifier: Apache-2.0 */
/* What settling removes stands in one table (src/file/removal.h): each row is reached here, and any other
 * name that settling removes fails the test. The program is killed by scripts/removals.sh, and settled in
 * this process. */
#include "file/removal.h"
#include "olvido/session.h"
#include "support/command.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

int __real_unlinkat(int dir, const char *name, int flags);
int __wrap_unlinkat(int dir, const char *name, int flags);

static const struct sandbox *settled; /* NULL: nothing is being settled */
static char foreign[400];             /* the first removal that the table does not have */

/* The state directory has no contents of anybody; and what is about to be published is written anew. */
static bool is_own(int dir, const char *name)
{
    char link[64], path[4200];
    size_t len = strlen(name);
    ssize_t got;
    snprintf(link, sizeof link, "/proc/self/fd/%d", dir);
    got = readlink(link, path, sizeof path - 1);
    path[got > 0 ? got : 0] = '\0';
    return strncmp(path, in(settled, "state"), strlen(in(settled, "state"))) == 0 ||
           (len > 4 && strcmp(name + len - 4, ".new") == 0);
}

int __wrap_unlinkat(int dir, const char *name, int flags)
{
    bool is_known = !settled || flags & AT_REMOVEDIR || removal_is_under_way() || is_own(dir, name);
    if (!is_known && !*foreign)
        snprintf(foreign, sizeof foreign, "%s", name);
    return __real_unlinkat(dir, name, flags);
}

static void settle(const struct sandbox *s)
{
    struct olv_session_options options = {.command = "recover"};
    struct olv_session session;
    struct olv_error err = {0};
    char state[200];
    bool ok;
    snprintf(state, sizeof state, "%s", in(s, "state"));
    options.state = state;
    setenv("XDG_DATA_HOME", in(s, "data"), 1);
    settled = s;
    ok = olv_session_open(&session, &options, &err);
    settled = NULL;
    if (!ok)
        fail_msg("%s", err.what);
    olv_session_close(&session);
}

static void each_removal_has_its_row(void **state)
{
    static const char *const names[REMOVALS] = {
        [REMOVAL_TEMPORARY] = "temporary", [REMOVAL_NEW_FILE] = "new-file",
        [REMOVAL_REPLACED] = "replaced",   [REMOVAL_HALF] = "half",
        [REMOVAL_STAGED] = "staged",       [REMOVAL_THING] = "thing",
        [REMOVAL_BESIDE] = "beside",       [REMOVAL_MADE] = "made",
        [REMOVAL_GOING] = "going",         [REMOVAL_INFO] = "info"};
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    for (enum removal r = 0; r < REMOVALS; r++) {
        unsigned before = removal_count(r);
        assert_non_null(removal_reason(r));
        shell_ok(s, "chmod -R u+rwx . 2>/dev/null || true; rm -rf t depot state data trace out err kept");
        script_ok(s, "removals.sh", names[r]);
        settle(s);
        if (removal_count(r) == before)
            fail_msg("settling did not remove: %s", names[r]);
        if (*foreign)
            fail_msg("%s: settling removes `%s`, which stands in no row", names[r], foreign);
        shell_ok(s, "$O audit verify >out");
        if (r == REMOVAL_MADE || r == REMOVAL_GOING) /* the record says so, and the catalogue forgets it */
            shell_ok(s, "test $(grep -c '\"kind\":\"removal\"' state/ledger/lines-*) = 1 && "
                        "test -z \"$(ls depot)\" && $O depot verify | grep -q '^Sound: 0 archives'");
    }
}

/* How many archives settling removes that a run left as `what` (see removals.sh), after this change. */
static unsigned removed_after(const struct sandbox *s, const char *what, const char *change)
{
    unsigned before = removal_count(REMOVAL_MADE);
    shell_ok(s, "rm -rf t elsewhere stamp depot state data trace out err kept");
    script_ok(s, "removals.sh", what);
    shell_ok(s, change);
    settle(s);
    return removal_count(REMOVAL_MADE) - before;
}

/* The row of a finished archive says that it is being made, as after the state directory was restored. What
 * is at a member's path is not the member: then the archive becomes live. */
static void what_is_nowhere_else_stays(void **state)
{
    static const char *const changes[] = {
        "rm t/r.csv",
        "touch -r t/r.csv stamp; echo longer >>t/r.csv; touch -r stamp t/r.csv",
        "touch -d '399 days ago' t/r.csv",
        "touch -r t/r.csv stamp; rm t/r.csv; mkfifo t/r.csv; touch -r stamp t/r.csv",
        "mv t elsewhere; ln -s elsewhere t",
    };
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    for (size_t i = 0; i < sizeof changes / sizeof *changes; i++) {
        if (removed_after(s, "made", changes[i]))
            fail_msg("after `%s` the archive is removed", changes[i]);
        shell_ok(
            s, "$O depot verify | grep -q '^Sound: 1 archive with 2 members' && test $(ls depot | wc -l) = 1 "
               "&& $O audit verify >out");
    }
}

/* Its members are in another archive, which is live: only if that one is there and sound, this one may go. */
static void what_is_in_another_archive_may_go(void **state)
{
    static const struct {
        const char *change;
        unsigned removed;
    } cases[] = {
        {"test $(ls depot | wc -l) = 2; rm -r t", 1},
        {"rm -r t; truncate -s -1 \"$(cat first)\"", 0},
        {"rm -r t; rm \"$(cat first)\"", 0},
    };
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        if (removed_after(s, "made-again", cases[i].change) != cases[i].removed)
            fail_msg("after `%s`: not %u removed", cases[i].change, cases[i].removed);
        shell_ok(s, "$O recover t/r.csv; test -s t/r.csv; $O audit verify >out");
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(each_removal_has_its_row, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_is_nowhere_else_stays, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_is_in_another_archive_may_go, sandbox_setup, sandbox_teardown),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
