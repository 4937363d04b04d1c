/* SPDX-License-Identifier: Apache-2.0 */
/* The only appender. Lines collect in memory and go to the volume in one write, while more may be collected.
 * The file always has whole lines, plus after a crash at most one torn line beyond the last checkpoint. */
#include "ledger/append.h"

#include "base/crew.h"
#include "ledger/index.h"
#include "ledger/leaves.h"
#include "ledger/tail.h"

#include "base/grow.h"
#include "os/durable.h"
#include "os/os.h"
#include "os/private.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* On failure the previous one stays in use, and this may be retried. */
static bool new_volume(struct olv_ledger *l, struct olv_error *err)
{
    char name[LEDGER_NAME_SIZE];
    int volume;
    ledger_volume_name(l->tree.size, name);
    volume = openat(l->dir, name, O_WRONLY | O_CREAT | O_EXCL | O_APPEND | O_NOFOLLOW | O_CLOEXEC, 0600);
    if (volume < 0)
        return olv_fail_system(err, name, "cannot begin a volume of the ledger");
    if (fsync(l->dir) < 0) {
        olv_fail_system(err, name, "cannot begin a volume of the ledger");
        unlinkat(l->dir, name, 0);
        close(volume);
        return false;
    }
    olv_os_close(l->volume);
    l->volume = volume;
    l->volume_bytes = 0;
    l->volume_first = l->tree.size;
    return true;
}

struct olv_instant olv_ledger_last_time(const struct olv_ledger *l)
{
    return l->last_time;
}

/* Adds the lines after the checkpoint to the tree; cuts off a torn line and describes it. */
static bool catch_up(struct olv_ledger *l, const char *name, uint64_t first, struct olv_text *torn,
                     struct olv_error *err)
{
    uint64_t covered = l->tree.size, number = first;
    uint8_t leaf[OLV_SHA256_SIZE];
    struct line_reader r;
    bool is_torn = false;
    size_t len;
    char *line;
    if (!line_reader_open(&r, l->dir, name, err))
        return false;
    while ((line = line_reader_next(&r, &len, &is_torn, err))) {
        if (is_torn) {
            olv_text_add(torn, line, len);
            break;
        }
        if (number++ >= covered) {
            line_leaf(l->hasher, line, line_split(line, len), leaf);
            tree_add(&l->tree, leaf);
        }
        l->volume_bytes += len + 1;
        l->last_time = line_time(line);
    }
    line_reader_close(&r);
    if (err->code != OLV_OK)
        return false;
    if (number >= covered)
        return true;
    olv_fail(err, OLV_BROKEN, "the ledger has %llu lines, but its checkpoint covers %llu",
             (unsigned long long)number, (unsigned long long)covered);
    return olv_error_hint(err,
                          "`olvido audit verify` says more; nothing will be done until this is explained");
}

static bool open_volume(struct olv_ledger *l, uint64_t first, struct olv_error *err)
{
    char name[LEDGER_NAME_SIZE];
    struct olv_text torn = {0};
    bool ok;
    ledger_volume_name(first, name);
    l->volume_first = first;
    ok = catch_up(l, name, first, &torn, err);
    if (ok) {
        l->volume = openat(l->dir, name, O_WRONLY | O_APPEND | O_NOFOLLOW | O_CLOEXEC);
        ok = l->volume >= 0 && (torn.len == 0 || ftruncate(l->volume, (off_t)l->volume_bytes) == 0);
        if (!ok)
            olv_fail_system(err, name, "cannot open the ledger for writing");
    }
    if (ok && torn.len)
        ledger_repair(l, torn.data, torn.len);
    olv_text_free(&torn);
    return ok;
}

static bool begin_new(struct olv_ledger *l, struct olv_error *err)
{
    struct checkpoint empty = {.size = 0};
    tree_root(&l->tree, empty.root);
    return checkpoint_write(l->dir, -1, l->key, &empty, err) && new_volume(l, err);
}

static bool is_signed(const struct olv_ledger *l, const struct checkpoint *checkpoint)
{
    uint8_t root[OLV_SHA256_SIZE];
    tree_root(&l->tree, root);
    return memcmp(root, checkpoint->root, sizeof root) == 0;
}

/* The stored hashes are a copy: if missing, cut or altered they are recomputed from the lines. */
static bool check_root(struct olv_ledger *l, const struct checkpoint *checkpoint, struct olv_error *err)
{
    if (tree_load(&l->tree, l->dir, checkpoint->size, err) && is_signed(l, checkpoint))
        return true;
    if (err->sys && err->sys != ENOENT)
        return false;
    olv_error_clear(err);
    if (leaves_restore(l->dir, checkpoint, &l->tree, err))
        return true;
    return err->code == OLV_BROKEN
               ? olv_error_hint(
                     err, "`olvido audit verify` says more; nothing will be done until this is explained")
               : false;
}

/* Signs only what the open run can have written. */
static bool check_tail(const struct olv_ledger *l, uint64_t covered, struct olv_error *err)
{
    struct tail_fault fault;
    if (l->tree.size <= covered)
        return true;
    if (!tail_examine(l->state, l->dir, covered, &fault, err) || !fault.what)
        return err->code == OLV_OK;
    olv_fail(err, OLV_BROKEN, "line %llu of ledger/%s was not written by Olvido: %s",
             (unsigned long long)fault.at, fault.file, fault.what);
    return olv_error_hint(err, "nothing will be done until this is explained; removing what follows the "
                               "last checkpoint loses nothing that was signed");
}

/* Restoring an older copy of the ledger does not undo what was done since. */
static bool check_age(const struct olv_ledger *l, uint64_t covered, struct olv_error *err)
{
    struct checkpoint last;
    if (!checkpoint_read_last(l->state, l->key, covered, &last, err))
        return false;
    if (last.size == 0)
        return true;
    olv_fail(err, OLV_BROKEN,
             "the ledger is older than the runs beside it: %llu lines are signed, and %llu were",
             (unsigned long long)covered, (unsigned long long)last.size);
    return olv_error_hint(err, "restore the newer one; nothing is done until then");
}

static bool open_existing(struct olv_ledger *l, struct olv_error *err)
{
    struct checkpoint checkpoint;
    uint64_t *firsts;
    size_t count;
    bool ok;
    if (!ledger_volumes(l->dir, &firsts, &count, err))
        return false;
    if (!checkpoint_read(l->dir, l->key, &checkpoint, err)) {
        bool is_new = err->sys == ENOENT && count == 0;
        free(firsts);
        if (!is_new && err->sys == ENOENT)
            olv_error_as(err, OLV_BROKEN);
        return is_new ? begin_new(l, err) : false;
    }
    ok = check_root(l, &checkpoint, err) && check_age(l, checkpoint.size, err);
    if (ok && count == 0)
        ok = checkpoint.size == 0 ? new_volume(l, err)
                                  : olv_fail(err, OLV_BROKEN, "all lines of the ledger are gone");
    else if (ok)
        ok = open_volume(l, firsts[count - 1], err) && check_tail(l, checkpoint.size, err);
    for (size_t i = 0; ok && i + 1 < count; i++)
        ledger_index_build(l->dir, firsts[i]); /* usually they all exist */
    free(firsts);
    return ok;
}

struct olv_ledger *olv_ledger_open(int state, struct olv_error *err)
{
    struct olv_ledger *l = allocate(sizeof *l, err);
    char origin[ORIGIN_SIZE];
    int keys = -1;
    bool ok;
    if (!l)
        return NULL;
    l->volume = -1;
    l->state = fcntl(state, F_DUPFD_CLOEXEC, 0);
    l->dir = olv_private_open(state, "ledger", true, "ledger", "the ledger's directory", err);
    keys = l->dir < 0 ? -1 : olv_private_open(state, "keys", true, "keys", "the directory of keys", err);
    l->key =
        keys < 0 || !checkpoint_origin(l->dir, origin, err) ? NULL : olv_key_load_or_make(keys, origin, err);
    l->hasher = olv_hasher_new();
    l->many = many_hasher_new();
    tree_begin(&l->tree, l->hasher, true);
    l->tree.many = l->many;
    ok = l->key && (l->state >= 0 || olv_fail_system(err, "", "cannot open the state directory once more")) &&
         ((l->hasher && l->many) || olv_fail_memory(err)) && open_existing(l, err);
    olv_os_close(keys);
    if (ok) {
        olv_error_clear(err); /* failed attempts on the way */
        return l;
    }
    olv_ledger_close(l);
    return NULL;
}

/* ---- the index of a closed volume, beside what goes on ---- */

static void build_index(void *self, unsigned worker, void *job)
{
    const struct olv_ledger *l = self;
    const uint64_t *first = job;
    (void)worker;
    ledger_index_build(l->dir, *first);
}

static void begin_index(struct olv_ledger *l, uint64_t first)
{
    if (l->indexing)
        crew_take(l->indexing);
    else
        l->indexing = crew_new(1, 1, build_index, l);
    l->indexed = first;
    if (l->indexing)
        crew_give(l->indexing, &l->indexed);
    else
        ledger_index_build(l->dir, first);
}

void olv_ledger_close(struct olv_ledger *l)
{
    if (!l)
        return;
    crew_free(l->indexing);
    olv_os_close(l->volume);
    olv_os_close(l->dir);
    olv_os_close(l->state);
    tree_end(&l->tree);
    olv_text_free(&l->pending);
    olv_text_free(&l->writing);
    olv_text_free(&l->head);
    olv_text_free(&l->open);
    olv_hasher_free(l->hasher);
    many_hasher_free(l->many);
    olv_key_free(l->key);
    free(l);
}

void olv_ledger_collect(struct olv_ledger *l)
{
    struct olv_text empty = l->writing;
    ledger_take_lines(l);
    if (l->writing.len == 0 && !l->writing.failed) {
        l->writing = l->pending;
        l->pending = empty;
    } else { /* what could not be written is still there */
        olv_text_add(&l->writing, olv_text_string(&l->pending), l->pending.len);
        l->writing.failed |= l->pending.failed;
    }
    olv_text_clear(&l->pending);
}

bool olv_ledger_write(struct olv_ledger *l, struct olv_error *err)
{
    if (l->writing.failed)
        return olv_fail_memory(err);
    if (l->writing.len == 0)
        return true;
    if (!olv_write_all(l->volume, l->writing.data, l->writing.len) || fsync(l->volume) < 0) {
        olv_fail_system(err, "ledger", "cannot write the ledger");
        olv_error_hint(err,
                       "make room for it; the next run finds out what was done and completes the record");
        if (ftruncate(l->volume, (off_t)l->volume_bytes) == 0)
            fsync(l->volume);
        return false;
    }
    l->volume_bytes += l->writing.len;
    olv_text_clear(&l->writing);
    return true;
}

bool olv_ledger_sync(struct olv_ledger *l, struct olv_error *err)
{
    olv_ledger_collect(l);
    return olv_ledger_write(l, err);
}

bool olv_ledger_checkpoint(struct olv_ledger *l, struct olv_error *err)
{
    struct checkpoint checkpoint = {.size = 0};
    uint64_t closed;
    ledger_take_lines(l);
    checkpoint.size = l->tree.size;
    tree_root(&l->tree, checkpoint.root);
    if (!tree_store(&l->tree, l->dir, err) ||
        (fsync(l->dir) < 0 && !olv_fail_system(err, "ledger", "cannot sync the ledger")) ||
        !checkpoint_write(l->dir, l->state, l->key, &checkpoint, err))
        return false;
    if (!olv_ledger_is_volume_full(l))
        return true;
    closed = l->volume_first;
    if (!new_volume(l, err))
        return false;
    begin_index(l, closed);
    return true;
}

bool olv_ledger_is_volume_full(const struct olv_ledger *l)
{
    return l->volume_bytes >= LEDGER_VOLUME_BYTES;
}
