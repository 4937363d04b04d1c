/* SPDX-License-Identifier: Apache-2.0 */
/* version, lock, ledger/, keys/, runs/: docs/formats/state.md. The lock belongs to the open file description,
 * so it ends with the process in any case; its text only tells people who holds it. */
#include "state/state.h"

#include "olvido/calendar.h"
#include "olvido/text.h"
#include "os/durable.h"
#include "os/os.h"
#include "os/private.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

static const char VERSION[] = "1\n";
enum { SHORT_FILE = 256 };

static bool check_version(int dir, const char *path, struct olv_error *err)
{
    struct olv_text text = {0};
    bool ok = olv_read_file(dir, "version", SHORT_FILE, &text, err);
    if (!ok && err->sys == ENOENT) {
        ok = olv_publish(dir, "version", VERSION, sizeof VERSION - 1, err);
    } else if (ok && strcmp(olv_text_string(&text), VERSION) != 0) {
        ok = olv_fail(err, OLV_STATE, "the state directory has version %.20s, this Olvido knows version 1",
                      text.len ? strtok(text.data, "\n") : "(none)");
        olv_error_at(err, path);
        olv_error_hint(err, "use the newer Olvido that wrote it; nothing was touched");
    }
    olv_text_free(&text);
    return ok;
}

static bool report_holder(int lock, const char *path, struct olv_error *err)
{
    char text[SHORT_FILE + 1];
    ssize_t got = pread(lock, text, SHORT_FILE, 0);
    text[got > 0 ? got : 0] = '\0';
    text[strcspn(text, "\n")] = '\0';
    olv_fail(err, OLV_STATE, "another run is under way%s%s", *text ? ": " : "", text);
    olv_error_at(err, path);
    return olv_error_hint(err, "wait until it has ended; nothing was touched");
}

static bool take_lock(struct state *state, const char *path, const char *command, struct olv_error *err)
{
    char text[SHORT_FILE], now[OLV_RFC3339_SIZE];
    int len;
    state->lock = openat(state->dir, "lock", O_RDWR | O_CREAT | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC, 0600);
    if (state->lock < 0)
        return olv_fail_system(err, path, "cannot open the lock of the state directory");
    if (!olv_os_lock(state->lock)) {
        if (errno == EAGAIN || errno == EACCES)
            return report_holder(state->lock, path, err);
        return olv_fail_system(err, path, "cannot lock the state directory");
    }
    len = snprintf(text, sizeof text, "%s, process %ld, since %.19sZ\n", command, (long)getpid(),
                   olv_instant_format(olv_os_now(), now));
    if (ftruncate(state->lock, 0) < 0 || pwrite(state->lock, text, (size_t)len, 0) != len)
        return olv_fail_system(err, path, "cannot write the lock of the state directory");
    return true;
}

/* See base/temporary.h: they have a name for a moment. */
static void clear_temporary(int dir)
{
    uint64_t buffer[512];
    struct olv_os_listing listing;
    struct olv_os_name name;
    ssize_t got;
    if (!olv_os_list_begin(&listing, dir))
        return;
    while ((got = olv_os_list_read(&listing, buffer, sizeof buffer)) > 0)
        for (size_t at = 0; olv_os_next_name(buffer, (size_t)got, &at, &name);)
            if (strncmp(name.name, "temporary-", 10) == 0)
                unlinkat(dir, name.name, 0);
    olv_os_list_end(&listing);
}

/* New versions of files that were not renamed when a run was cut short. Nobody else has the lock. */
static void clear_unplaced(const struct state *state)
{
    static const char *const names[] = {"version.new", "ledger/checkpoint.new", "keys/ledger.key.new",
                                        "keys/ledger.pub.new"};
    for (size_t i = 0; i < sizeof names / sizeof *names; i++)
        unlinkat(state->dir, names[i], 0);
    unlinkat(state->runs, "open.new", 0);
    unlinkat(state->runs, "checkpoint.new", 0);
    clear_temporary(state->dir);
}

bool state_open(struct state *state, const char *path, const char *command, struct olv_error *err)
{
    *state = (struct state){-1, -1, -1};
    if (!olv_make_parents(path, err))
        return false;
    state->dir = olv_private_open(AT_FDCWD, path, true, path, "the state directory", err);
    if (state->dir < 0)
        return false;
    if (olv_os_is_network(state->dir)) {
        olv_fail(err, OLV_STATE,
                 "the state directory is on a network file system, where locks cannot be trusted");
        olv_error_at(err, path);
        olv_error_hint(err, "put it on a local disk: --state DIR");
    } else if (take_lock(state, path, command, err) && check_version(state->dir, path, err)) {
        state->runs = olv_private_open(state->dir, "runs", true, path, "the directory of runs", err);
        if (state->runs >= 0) {
            clear_unplaced(state);
            return true;
        }
    }
    state_close(state);
    return olv_error_as(err, err->code == OLV_MEMORY ? OLV_MEMORY : OLV_STATE);
}

void state_close(struct state *state)
{
    olv_os_close(state->runs);
    olv_os_close(state->lock);
    olv_os_close(state->dir);
    *state = (struct state){-1, -1, -1};
}

bool state_open_run(const struct state *state, char *run, unsigned size, struct olv_error *err)
{
    struct olv_text text = {0};
    bool ok = olv_read_file(state->runs, "open", SHORT_FILE, &text, err);
    run[0] = '\0';
    if (ok)
        snprintf(run, size, "%.*s", (int)strcspn(olv_text_string(&text), "\n"), olv_text_string(&text));
    else if (err->sys == ENOENT)
        ok = true;
    olv_text_free(&text);
    return ok;
}

bool state_mark_open(const struct state *state, const char *run, struct olv_error *err)
{
    return olv_publish(state->runs, "open", run, strlen(run), err);
}

bool state_mark_closed(const struct state *state, struct olv_error *err)
{
    if (unlinkat(state->runs, "open", 0) == 0 || errno == ENOENT)
        return true;
    return olv_fail_system(err, "runs/open", "cannot close the run");
}
