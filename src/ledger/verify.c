/* SPDX-License-Identifier: Apache-2.0 */
/* Verification: the signed checkpoint proves the root, the root the stored hashes, a stored hash its line. So
 * the first line that differs from its stored hash is the first that was touched, and its neighbours' hashes
 * tell how. Docket segments are compared with the intents that commit to them. */
#include "ledger/index.h"
#include "ledger/leaves.h"
#include "ledger/reading.h"
#include "ledger/sweep.h"
#include "ledger/tail.h"

#include "olvido/ledger.h"
#include "os/durable.h"
#include "os/os.h"
#include "os/private.h"

#include <fcntl.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

enum { TELL_EVERY = 16384 };

struct verifying {
    char run[LEDGER_RUN_SIZE]; /* the open one, as first seen; "": none */
    int state, dir;            /* descriptors */
    const char *against;       /* path of a checkpoint kept elsewhere; NULL: none */
    const struct olv_observer *observer;
    struct olv_ledger_report *report;
    struct olv_key *key;
    struct olv_hasher *hasher;
    struct checkpoint last; /* the last one that runs know: read first, so that it is never newer than: */
    struct checkpoint checkpoint;
    uint8_t (*hashes)[OLV_SHA256_SIZE]; /* the stored ones of all lines, proven by the checkpoint */
    uint64_t hash_count;
    struct olv_text segment; /* of a docket */
};

static void found(struct verifying *v, enum olv_ledger_fault fault, uint64_t line, const char *file,
                  uint64_t at, const char *format, ...)
{
    struct olv_ledger_report *report = v->report;
    va_list args;
    report->fault = fault;
    report->fault_line = line;
    report->fault_at = at;
    snprintf(report->fault_file, sizeof report->fault_file, "%.60s", file);
    va_start(args, format);
    vsnprintf(report->detail, sizeof report->detail, format, args);
    va_end(args);
}

static bool is_stored(const struct verifying *v, uint64_t line, const uint8_t leaf[OLV_SHA256_SIZE])
{
    return line < v->hash_count && memcmp(v->hashes[line], leaf, OLV_SHA256_SIZE) == 0;
}

static bool is_stored_anywhere(const struct verifying *v, const uint8_t leaf[OLV_SHA256_SIZE])
{
    for (uint64_t i = 0; i < v->hash_count; i++)
        if (is_stored(v, i, leaf))
            return true;
    return false;
}

/* The line at `number` differs from its stored hash: what happened? `next` is the leaf of the line after it,
 * or NULL at the end. */
static void classify(struct verifying *v, uint64_t number, const uint8_t *leaf, const uint8_t *next,
                     const char *file, uint64_t at)
{
    if (is_stored(v, number + 1, leaf) && !(next && is_stored(v, number, next)))
        found(v, OLV_LEDGER_REMOVED, number, file, at, "the line that stood here is gone");
    else if (is_stored_anywhere(v, leaf))
        found(v, OLV_LEDGER_REORDERED, number, file, at, "this line belongs elsewhere");
    else if (next && is_stored(v, number, next))
        found(v, OLV_LEDGER_ADDED, number, file, at, "this line was not written by Olvido");
    else
        found(v, OLV_LEDGER_ALTERED, number, file, at, "this line is not what was written");
}

static void check_intent(struct verifying *v, const char *line, size_t len, const char *file, uint64_t at,
                         struct olv_error *err)
{
    char where[128];
    enum docket_finding docket = docket_of_line(v->state, v->hasher, &v->segment, line, len, where, err);
    v->report->segments += docket != DOCKET_NONE;
    if (docket == DOCKET_MISSING)
        found(v, OLV_LEDGER_DOCKET, v->report->lines, file, at, "the docket of %s is missing", where);
    if (docket == DOCKET_ALTERED)
        found(v, OLV_LEDGER_DOCKET, v->report->lines, file, at, "the docket of %s was altered", where);
}

/* ---- lines ---- */

/* The leaf of the line after the current one, without advancing. */
static bool peek_leaf(struct verifying *v, struct line_reader *r, uint8_t out[OLV_SHA256_SIZE])
{
    struct olv_error ignored = {0};
    size_t len;
    bool is_torn;
    char *line =
        line_reader_next(r, &len, &is_torn, &ignored); /* the fault ends the reading, so nothing is lost */
    if (line && !is_torn)
        line_leaf(v->hasher, line, line_split(line, len), out);
    return line && !is_torn;
}

static void check_line(struct verifying *v, struct line_reader *r, const char *line, size_t len,
                       const char *file, uint64_t at, struct olv_error *err)
{
    struct line_parts parts = line_split(line, len);
    uint64_t number = v->report->lines;
    uint8_t leaf[OLV_SHA256_SIZE], next[OLV_SHA256_SIZE];
    bool has_lost_name;
    line_leaf(v->hasher, line, parts, leaf);
    if (number < v->report->covered && !is_stored(v, number, leaf)) {
        bool has_next = peek_leaf(v, r, next);
        classify(v, number, leaf, has_next ? next : NULL, file, at);
        return;
    }
    if (len == 0 || line[len - 1] != '}') { /* which no digest covers */
        found(v, OLV_LEDGER_ALTERED, number, file, at, "this line does not end as lines do");
        return;
    }
    if (!line_is_sealed(v->hasher, line, parts, &has_lost_name)) {
        found(v, OLV_LEDGER_ALTERED, number, file, at, "the names in this line are not those that it sealed");
        return;
    }
    if (number >= v->report->covered && !v->report->is_open) {
        found(v, OLV_LEDGER_ADDED, number, file, at,
              "this line follows the last checkpoint, and no run is open");
        return;
    }
    v->report->removed_names += has_lost_name;
    check_intent(v, line, len, file, at, err);
    v->report->lines++;
}

static void verify_tell(void *self, uint64_t line)
{
    struct verifying *v = self;
    olv_observe_progress(
        v->observer,
        (struct olv_progress){.doing = "verifying", .files = line, .of_files = v->report->covered});
}

/* The quick check of a whole volume, on all processors. */
static bool is_swept(struct verifying *v, uint64_t first)
{
    struct sweep sweep = {.state = v->state,
                          .dir = v->dir,
                          .hashes = (const uint8_t(*)[OLV_SHA256_SIZE])v->hashes,
                          .covered = v->report->covered,
                          .allows_more = v->report->is_open};
    if (!sweep_volume(&sweep, first, &v->report->lines, verify_tell, v))
        return false;
    v->report->removed_names += sweep.removed_names;
    v->report->segments += sweep.segments;
    return true;
}

static bool check_file(struct verifying *v, uint64_t first, struct olv_error *err)
{
    char name[LEDGER_NAME_SIZE], file[LEDGER_NAME_SIZE + 8], *line;
    struct line_reader r;
    uint64_t at = 0;
    bool is_torn;
    size_t len;
    ledger_volume_name(first, name);
    snprintf(file, sizeof file, "ledger/%s", name);
    if (first != v->report->lines) {
        found(v, OLV_LEDGER_REMOVED, v->report->lines, file, 1, "the lines before this file are gone");
        return true;
    }
    if (is_swept(v, first))
        return true;
    if (!line_reader_open(&r, v->dir, name, err))
        return false;
    while (v->report->fault == OLV_LEDGER_SOUND && err->code == OLV_OK &&
           (line = line_reader_next(&r, &len, &is_torn, err))) {
        if (is_torn && v->report->lines >= v->report->covered)
            break; /* the next run cuts it off and records that */
        check_line(v, &r, line, len, file, ++at, err);
        if (is_torn && v->report->fault == OLV_LEDGER_SOUND)
            found(v, OLV_LEDGER_ALTERED, --v->report->lines, file, at, "the end of this line is gone");
        if (v->report->lines % TELL_EVERY == 0)
            olv_observe_progress(v->observer, (struct olv_progress){.doing = "verifying",
                                                                    .files = v->report->lines,
                                                                    .of_files = v->report->covered});
    }
    line_reader_close(&r);
    return v->report->fault != OLV_LEDGER_SOUND || err->code == OLV_OK;
}

static bool check_lines(struct verifying *v, struct olv_error *err)
{
    char name[LEDGER_NAME_SIZE] = "", file[LEDGER_NAME_SIZE + 8];
    uint64_t *firsts;
    size_t count;
    bool ok = ledger_volumes(v->dir, &firsts, &count, err);
    for (size_t i = 0; ok && i < count && v->report->fault == OLV_LEDGER_SOUND; i++)
        ok = check_file(v, firsts[i], err);
    if (ok && v->report->fault == OLV_LEDGER_SOUND && v->report->lines < v->report->covered) {
        if (count)
            ledger_volume_name(firsts[count - 1], name);
        snprintf(file, sizeof file, "ledger/%s", name);
        found(v, OLV_LEDGER_REMOVED, v->report->lines, file,
              v->report->lines - (count ? firsts[count - 1] : 0) + 1,
              "this line and all after it are gone: %llu of %llu",
              (unsigned long long)(v->report->covered - v->report->lines),
              (unsigned long long)v->report->covered);
    }
    free(firsts);
    return ok;
}

/* ---- the checkpoint and the stored hashes ---- */

static bool load_hashes(struct verifying *v, struct olv_error *err)
{
    size_t want = (size_t)v->checkpoint.size * OLV_SHA256_SIZE, len = 0;
    ssize_t got = 1;
    int fd;
    if (want == 0)
        return true;
    v->hashes = malloc(want);
    if (!v->hashes)
        return olv_fail_memory(err);
    fd = openat(v->dir, "hashes-0", O_RDONLY | O_NOFOLLOW | O_CLOEXEC);
    while (fd >= 0 && len < want && (got = read(fd, (uint8_t *)v->hashes + len, want - len)) > 0)
        len += (size_t)got;
    olv_os_close(fd);
    v->hash_count = len / OLV_SHA256_SIZE;
    return true;
}

static bool is_signed(const struct verifying *v, bool *is_it, struct olv_error *err)
{
    uint8_t root[OLV_SHA256_SIZE];
    if (!sweep_root((const uint8_t(*)[OLV_SHA256_SIZE])v->hashes, v->hash_count, root))
        return olv_fail_memory(err);
    *is_it = v->hash_count == v->checkpoint.size && memcmp(root, v->checkpoint.root, sizeof root) == 0;
    return true;
}

static bool take_leaf(void *self, const uint8_t leaf[OLV_SHA256_SIZE], struct olv_error *err)
{
    struct verifying *v = self;
    (void)err;
    memcpy(v->hashes[v->hash_count++], leaf, OLV_SHA256_SIZE);
    return true;
}

/* The stored hashes are a copy that tells what happened to which line. If they are missing or altered, either
 * the lines still have the signed root, or something is wrong that nobody can locate. */
static bool check_root(struct verifying *v, struct olv_error *err)
{
    bool is_it = false;
    if (!is_signed(v, &is_it, err) || is_it)
        return is_it;
    v->hash_count = 0;
    if (leaves_each(v->dir, v->checkpoint.size, v->hasher, take_leaf, v, err) && !is_signed(v, &is_it, err))
        return false;
    if (!is_it && err->code != OLV_OK && err->code != OLV_BROKEN)
        return false;
    olv_error_clear(err);
    if (!is_it)
        found(v, OLV_LEDGER_HASHES, 0, "ledger/hashes-0", 0,
              "neither the stored hashes nor the lines are those that the checkpoint signs");
    return true;
}

/* ---- checkpoints of before ---- */

/* Whether the lines it covers are still the first ones. */
static bool is_consistent(const struct verifying *v, const struct checkpoint *old, bool *is_it,
                          struct olv_error *err)
{
    uint8_t root[OLV_SHA256_SIZE];
    *is_it = old->size <= v->hash_count;
    if (*is_it && !sweep_root((const uint8_t(*)[OLV_SHA256_SIZE])v->hashes, old->size, root))
        return olv_fail_memory(err);
    *is_it = *is_it && memcmp(root, old->root, sizeof root) == 0;
    return true;
}

static bool read_kept(struct verifying *v, struct checkpoint *out, struct olv_error *err)
{
    enum { LARGEST = 4096 };
    struct olv_text note = {0};
    bool ok = olv_read_file(AT_FDCWD, v->against, LARGEST, &note, err);
    if (!ok)
        olv_error_hint(err, "--against takes a copy of a ledger's `checkpoint`, which was kept elsewhere");
    else if (!checkpoint_parse(olv_text_string(&note), note.len, v->key, out, err)) {
        found(v, OLV_LEDGER_AGAINST, 0, "keys", 0,
              "the checkpoint that was kept elsewhere is not signed by this ledger's key (%.80s)", err->what);
        olv_error_clear(err);
    }
    olv_text_free(&note);
    return ok;
}

/* Against one that nobody here could change. */
static bool check_kept(struct verifying *v, struct olv_error *err)
{
    struct checkpoint kept = {0};
    bool is_it;
    if (!v->against)
        return true;
    if (!read_kept(v, &kept, err) || v->report->fault != OLV_LEDGER_SOUND)
        return err->code == OLV_OK;
    v->report->against = kept.size;
    if (!is_consistent(v, &kept, &is_it, err))
        return false;
    if (kept.size > v->report->covered)
        found(v, OLV_LEDGER_AGAINST, 0, "ledger/checkpoint", 0,
              "the ledger is older than the checkpoint that was kept elsewhere: %llu lines, and %llu were "
              "signed",
              (unsigned long long)v->report->covered, (unsigned long long)kept.size);
    else if (!is_it)
        found(v, OLV_LEDGER_AGAINST, 0, "ledger/checkpoint", 0,
              "the first %llu lines are not those that were signed then: the ledger was made anew",
              (unsigned long long)kept.size);
    return true;
}

/* Against the last one that runs know. */
static bool check_last(struct verifying *v, struct olv_error *err)
{
    const struct checkpoint *last = &v->last;
    bool is_it;
    if (last->size == 0)
        return true;
    if (!is_consistent(v, last, &is_it, err))
        return false;
    if (!is_it)
        found(v, OLV_LEDGER_CHECKPOINT, 0, "ledger/checkpoint", 0,
              last->size > v->report->covered
                  ? "the ledger is older than the runs beside it: %llu lines are signed, and %llu were"
                  : "of its %llu signed lines, the first %llu are not those that runs have signed",
              (unsigned long long)v->report->covered, (unsigned long long)last->size);
    return true;
}

/* ---- behind the lines ---- */

/* The run has continued meanwhile, and may have ended. */
static bool is_signed_by_now(const struct verifying *v, uint64_t line)
{
    struct olv_error ignored = {0};
    struct checkpoint now;
    return checkpoint_read(v->dir, v->key, &now, &ignored) && now.size > line;
}

static bool check_tail(struct verifying *v, struct olv_error *err)
{
    struct tail_fault fault;
    char file[LEDGER_NAME_SIZE + 8];
    if (v->report->lines <= v->report->covered)
        return true;
    if (!tail_examine(v->state, v->dir, v->report->covered, &fault, err))
        return false;
    if (!fault.what || is_signed_by_now(v, fault.line))
        return true;
    v->report->lines = fault.line;
    snprintf(file, sizeof file, "ledger/%s", fault.file);
    found(v, OLV_LEDGER_ADDED, fault.line, file, fault.at, "%s", fault.what);
    return true;
}

/* Of closed volumes: all except the last. */
static bool check_indexes(struct verifying *v, struct olv_error *err)
{
    char file[LEDGER_NAME_SIZE + 8];
    uint64_t *firsts;
    size_t count, wrong = 0, closed;
    if (!ledger_volumes(v->dir, &firsts, &count, err))
        return false;
    closed = count ? count - 1 : 0;
    if (!ledger_indexes_compare(v->dir, firsts, closed, &wrong)) {
        free(firsts);
        return olv_fail_memory(err);
    }
    if (wrong < closed) {
        snprintf(file, sizeof file, "ledger/index-%012llu", (unsigned long long)firsts[wrong]);
        found(v, OLV_LEDGER_INDEX, firsts[wrong], file, 0,
              "it is not what its lines make, so `audit show --path` may miss some; remove it, and the next "
              "run "
              "makes it anew");
    }
    free(firsts);
    return true;
}

static bool has_lines(const struct verifying *v)
{
    struct olv_error ignored = {0};
    uint64_t *firsts = NULL;
    size_t count = 1;
    ledger_volumes(v->dir, &firsts, &count, &ignored);
    free(firsts);
    return count > 0;
}

static bool check_checkpoint(struct verifying *v, struct olv_error *err)
{
    struct olv_ledger_report *report = v->report;
    if (!checkpoint_read(v->dir, v->key, &v->checkpoint, err)) {
        if (err->sys == ENOENT && !has_lines(v))
            return olv_error_as(err, OLV_STATE); /* it was never started */
        if (olv_read_failed_for_now(err))
            return false; /* nothing is known of it */
        found(v, OLV_LEDGER_CHECKPOINT, 0, "ledger/checkpoint", 0, "%.150s", err->what);
        olv_error_clear(err);
        return true;
    }
    report->covered = v->checkpoint.size;
    snprintf(report->origin, sizeof report->origin, "%s", olv_key_origin(v->key));
    olv_hex(v->checkpoint.root, OLV_SHA256_SIZE, report->root);
    return load_hashes(v, err) && check_root(v, err);
}

/* ---- beside a run ---- */

static bool is_somebody_at_work(const struct verifying *v)
{
    int lock = openat(v->state, "lock", O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    bool is = lock >= 0 && olv_os_is_locked(lock);
    olv_os_close(lock);
    return is;
}

/* Whether the fault may only be what a run did between two looks: it is in no signed line, and the open run
 * or the checkpoint is another one by now, or nobody has the run open that somebody is at work with. */
static bool is_to_look_again(const struct verifying *v)
{
    const struct olv_ledger_report *report = v->report;
    struct olv_error ignored = {0};
    struct checkpoint now = {0};
    char run[LEDGER_RUN_SIZE];
    if (report->fault == OLV_LEDGER_SOUND || report->fault == OLV_LEDGER_AGAINST ||
        (report->fault_at && report->fault_line < report->covered))
        return false;
    if (!ledger_open_run(v->state, run, &ignored) || strcmp(run, v->run) != 0)
        return true;
    if (!checkpoint_read(v->dir, v->key, &now, &ignored))
        return false; /* it is the fault */
    return now.size != v->checkpoint.size || memcmp(now.root, v->checkpoint.root, sizeof now.root) != 0 ||
           (!*run && is_somebody_at_work(v));
}

/* Bytes behind the last whole line of the last volume. */
static bool check_end(struct verifying *v, struct olv_error *err)
{
    char name[LEDGER_NAME_SIZE];
    struct line_reader r = {.fd = -1};
    uint64_t *firsts, at;
    size_t count;
    struct olv_stat stat;
    bool ok;
    if (!ledger_volumes(v->dir, &firsts, &count, err))
        return false;
    if (count)
        ledger_volume_name(firsts[count - 1], name);
    free(firsts);
    if (!count)
        return true;
    if (!olv_os_stat(v->dir, name, &stat))
        return olv_fail_system(err, name, "cannot look at it");
    if (!line_reader_open(&r, v->dir, name, err))
        return false;
    ok = line_reader_end(&r, stat.size_bytes, &at, err);
    line_reader_close(&r);
    if (ok)
        v->report->torn_bytes = stat.size_bytes - at;
    return ok;
}

static bool open_all(struct verifying *v, const char *state, struct olv_error *err)
{
    char origin[ORIGIN_SIZE];
    int keys;
    v->state = olv_private_open(AT_FDCWD, state, false, state, "the state directory", err);
    if (v->state >= 0 && !ledger_open_run(v->state, v->run, err))
        return false;
    v->report->is_open = *v->run != '\0';
    v->dir = v->state < 0 ? -1 : ledger_open_below(v->state, state, err);
    keys = v->dir < 0 ? -1 : olv_private_open(v->state, "keys", false, state, "the directory of keys", err);
    if (keys < 0 && v->dir >= 0 && err->sys == ENOENT)
        return olv_keys_are_gone(err);
    if (keys < 0)
        return false;
    if (checkpoint_origin(v->dir, origin, err))
        v->key = olv_key_load_public(keys, origin, err);
    close(keys);
    if (!v->key || !checkpoint_read_last(v->state, v->key, 0, &v->last, err))
        return false;
    v->hasher = olv_hasher_new();
    return v->hasher || olv_fail_memory(err);
}

static bool verify_once(struct verifying *v, const char *state, struct olv_error *err)
{
    static bool (*const checks[])(struct verifying *, struct olv_error *) = {
        check_checkpoint, check_lines, check_tail, check_last, check_kept, check_indexes, check_end};
    bool ok;
    *v->report = (struct olv_ledger_report){0};
    olv_error_clear(err);
    ok = open_all(v, state, err);
    for (size_t i = 0; ok && v->report->fault == OLV_LEDGER_SOUND && i < sizeof checks / sizeof *checks; i++)
        ok = checks[i](v, err);
    v->report->is_at_work = v->state >= 0 && is_somebody_at_work(v);
    return ok;
}

static void verify_end(struct verifying *v)
{
    olv_os_close(v->dir);
    olv_os_close(v->state);
    olv_key_free(v->key);
    olv_hasher_free(v->hasher);
    olv_text_free(&v->segment);
    free(v->hashes);
}

bool olv_ledger_verify(const char *state, const char *against, const struct olv_observer *observer,
                       struct olv_ledger_report *report, struct olv_error *err)
{
    enum { MOST_LOOKS = 200 };
    const struct timespec moment = {.tv_nsec = 10 * 1000 * 1000};
    for (int look = 1;; look++) {
        struct verifying v = {
            .state = -1, .dir = -1, .against = against, .observer = observer, .report = report};
        bool ok = verify_once(&v, state, err), again = ok && is_to_look_again(&v);
        verify_end(&v);
        if (!again)
            return ok;
        if (look == MOST_LOOKS || olv_observe_interrupted(observer))
            return olv_fail(err, OLV_SYSTEM, "runs come and go beside it, so nothing is known; try again");
        nanosleep(&moment, NULL);
    }
}
