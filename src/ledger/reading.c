/* SPDX-License-Identifier: Apache-2.0 */
/* Reads without permission to change anything, and without trust. */
#include "ledger/reading.h"

#include "ledger/ledger.h"
#include "olvido/json.h"
#include "os/durable.h"
#include "os/os.h"
#include "os/private.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

bool ledger_is_lost(int state, const char *path, struct olv_error *err)
{
    uint64_t buffer[512];
    struct olv_os_listing listing;
    struct olv_os_name name;
    struct olv_stat stat;
    size_t at = 0;
    ssize_t got = 0;
    bool had_runs = false;
    int runs;
    if (olv_os_stat(state, "ledger", &stat) || errno != ENOENT)
        return false;
    runs = openat(state, "runs", O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    if (runs >= 0 && olv_os_list_begin(&listing, runs)) {
        got = olv_os_list_read(&listing, buffer, sizeof buffer);
        had_runs = got > 0 && olv_os_next_name(buffer, (size_t)got, &at, &name);
        olv_os_list_end(&listing);
    }
    olv_os_close(runs);
    if (!had_runs)
        return false;
    olv_fail(err, OLV_BROKEN, "the ledger is gone, though runs were recorded in it");
    olv_error_at(err, path);
    olv_error_hint(
        err, "restore it from a copy; or, to start over, move the state directory away. Nothing was touched");
    return true;
}

int ledger_open_below(int state, const char *path, struct olv_error *err)
{
    int fd = olv_private_open(state, "ledger", false, path, "the ledger's directory", err);
    if (fd < 0 && err->sys == ENOENT)
        ledger_is_lost(state, path, err);
    return fd;
}

bool ledger_open_run(int state, char run[LEDGER_RUN_SIZE], struct olv_error *err)
{
    enum { SHORT_FILE = 256 };
    struct olv_text text = {0};
    bool ok = olv_read_file(state, "runs/open", SHORT_FILE, &text, err);
    snprintf(run, LEDGER_RUN_SIZE, "%.*s", (int)strcspn(olv_text_string(&text), "\n"),
             olv_text_string(&text));
    olv_text_free(&text);
    if (ok || !olv_os_is_absent(err->sys))
        return ok;
    olv_error_clear(err);
    return true;
}

int ledger_open_directory(const char *state, struct olv_error *err)
{
    int fd, dir = olv_private_open(AT_FDCWD, state, false, state, "the state directory", err);
    if (dir < 0)
        return -1;
    fd = ledger_open_below(dir, state, err);
    close(dir);
    return fd;
}

static const char *member(const json_t *object, const char *key)
{
    const json_t *value = json_object_get(object, key);
    return json_is_string(value) ? json_string_value(value) : "";
}

void reading_free(struct reading *reading)
{
    olv_text_free(&reading->path);
    olv_text_free(&reading->into);
    olv_text_free(&reading->trash);
    olv_text_free(&reading->trash_place);
    olv_text_free(&reading->reason);
}

static void fill_record(struct reading *reading, const json_t *line, struct olv_ledger_record *r)
{
    const json_t *open = json_object_get(line, "open");
    r->line = olv_json_get_number(line, "line");
    r->time = member(line, "time");
    r->kind = member(line, "kind");
    r->run = member(line, "run");
    r->command = member(line, "command");
    r->rule = member(line, "rule");
    r->act = member(line, "act");
    r->result = member(line, "result");
    r->size_bytes = olv_json_get_number(line, "size");
    r->batch = olv_json_get_number(line, "batch");
    r->entry = olv_json_get_number(line, "entry");
    r->files = json_object_get(line, "files") ? olv_json_get_number(line, "files") : 1;
    r->decisions = olv_json_get_number(line, "decisions");
    r->done = olv_json_get_number(line, "done");
    r->left = olv_json_get_number(line, "left");
    r->failed = olv_json_get_number(line, "failed");
    r->unknown = olv_json_get_number(line, "unknown");
    r->id = member(line, "id");
    r->manifest = member(line, "manifest");
    r->length = olv_json_get_number(line, "length");
    r->members = olv_json_get_number(line, "members");
    r->path = olv_json_get_name(open, "path", &reading->path) ? olv_text_string(&reading->path) : "";
    r->into = olv_json_get_name(open, "into", &reading->into) ? olv_text_string(&reading->into) : "";
    r->trash_place = olv_json_get_name(open, "trash_place", &reading->trash_place)
                         ? olv_text_string(&reading->trash_place)
                         : "";
    r->reason = olv_json_get_name(open, "reason", &reading->reason) ? olv_text_string(&reading->reason) : "";
    r->trash = olv_json_get_name(open, "trash", &reading->trash) ? olv_text_string(&reading->trash) : "";
}

bool reading_line(struct reading *reading, const char *line, size_t len, const char *name, uint64_t at,
                  struct olv_error *err)
{
    struct olv_ledger_record record = {.json = line, .json_len = len};
    json_t *json = json_loadb(line, len, 0, NULL);
    bool go_on;
    if (!json) {
        if (at)
            olv_fail(err, OLV_BROKEN, "line %llu of %s is not a ledger line", (unsigned long long)at, name);
        else
            olv_fail(err, OLV_BROKEN, "a line of %s is not a ledger line", name);
        return olv_error_hint(err, "`olvido audit verify` says more");
    }
    fill_record(reading, json, &record);
    go_on = reading->each(reading->self, &record);
    json_decref(json);
    return go_on;
}
