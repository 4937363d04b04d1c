/* SPDX-License-Identifier: Apache-2.0 */
/* The volume is read in pieces of whole lines; each piece is split into one part per processor. Counting
 * newlines gives every part the number of its first line, at little cost compared with the hashing. */
#include "ledger/sweep.h"

#include "olvido/json.h"
#include "os/durable.h"
#include "os/os.h"

#include <fcntl.h>
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { PIECE = 8 << 20, MOST_WORKERS = 32, DOCKET_PIECE = 256 << 10, LINES = 64 };

/* Whether the head says this digest of what is open. */
static bool says_digest(const char *line, struct line_parts parts, const uint8_t digest[OLV_SHA256_SIZE],
                        bool *has_lost_name)
{
    static const char member[] = "\"sealed\":\"";
    char hex[OLV_HEX_SIZE];
    const char *sealed = strstr(line, member);
    *has_lost_name = !parts.open && sealed;
    if (!parts.open)
        return true;
    olv_hex(digest, OLV_SHA256_SIZE, hex);
    return sealed && sealed < parts.open && strncmp(sealed + sizeof member - 1, hex, OLV_HEX_SIZE - 1) == 0;
}

bool line_is_sealed(struct olv_hasher *hasher, const char *line, struct line_parts parts, bool *has_lost_name)
{
    uint8_t digest[OLV_SHA256_SIZE] = {0};
    if (parts.open)
        olv_sha256(hasher, parts.open, parts.open_len, digest);
    return says_digest(line, parts, digest, has_lost_name);
}

/* A docket may be of any length: it is read piece by piece. */
static bool docket_digest(int state, const char *path, struct olv_hasher *hasher, struct olv_text *scratch,
                          uint8_t out[OLV_SHA256_SIZE], struct olv_error *err)
{
    int fd = openat(state, path, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    ssize_t got = 1;
    struct stat st;
    char *room;
    bool ok = false;
    if (fd < 0)
        return olv_fail_system(err, path, "cannot open the file");
    olv_text_clear(scratch);
    room = olv_text_room(scratch, DOCKET_PIECE);
    olv_hasher_begin(hasher);
    if (!room) {
        olv_fail_memory(err);
    } else if (fstat(fd, &st) == 0 && !S_ISREG(st.st_mode)) {
        olv_fail(err, OLV_SYSTEM, "not a regular file");
        olv_error_at(err, path);
    } else {
        while ((got = read(fd, room, DOCKET_PIECE)) > 0)
            olv_hasher_add(hasher, room, (size_t)got);
        ok = got == 0 || olv_fail_system(err, path, "cannot read the file");
    }
    olv_hasher_end(hasher, out);
    close(fd);
    return ok;
}

enum docket_finding docket_of_line(int state, struct olv_hasher *hasher, struct olv_text *scratch,
                                   const char *line, size_t len, char where[128], struct olv_error *err)
{
    json_t *json = strstr(line, "\"kind\":\"intent\"") ? json_loadb(line, len, 0, NULL) : NULL;
    const char *run = json_string_value(json_object_get(json, "run"));
    const char *digest = json_string_value(json_object_get(json, "segment"));
    uint64_t batch = olv_json_get_number(json, "batch");
    enum docket_finding finding = DOCKET_NONE;
    uint8_t bytes[OLV_SHA256_SIZE];
    char path[128], hex[OLV_HEX_SIZE];
    if (run && digest && !strchr(run, '/')) {
        snprintf(path, sizeof path, "runs/%.64s/%06llu.docket", run, (unsigned long long)batch);
        snprintf(where, 128, "run %.64s, batch %llu", run, (unsigned long long)batch);
        finding = DOCKET_MISSING;
        if (docket_digest(state, path, hasher, scratch, bytes, err)) {
            olv_hex(bytes, sizeof bytes, hex);
            finding = strcmp(hex, digest) == 0 ? DOCKET_SOUND : DOCKET_ALTERED;
        } else if (olv_read_failed_for_now(err)) {
            finding = DOCKET_UNREAD;
        } else {
            olv_error_clear(err);
        }
    }
    json_decref(json);
    return finding;
}

/* ---- one part ---- */

struct part {
    struct sweep *sweep;
    char *from, *to; /* whole lines */
    uint64_t number; /* of the first one */
    uint64_t removed_names, segments;
    bool is_sound;
    struct olv_hasher *hasher;
    struct many_hasher *many;
    struct olv_text scratch;
    pthread_t thread;
};

/* Lines that are hashed together. Before each is a zero byte, which a leaf is hashed with, and after its head
 * a brace. */
struct together {
    struct line {
        char *text;
        size_t len;
        struct line_parts parts;
        bool is_whole; /* it ends with a brace, which no digest covers */
    } lines[LINES];
    struct many_piece pieces[2 * LINES];
    uint8_t leaves[LINES][OLV_SHA256_SIZE], opens[LINES][OLV_SHA256_SIZE];
    size_t count;
};

static void sweep_digest(struct together *t, struct many_hasher *many)
{
    size_t pieces = 0;
    for (size_t i = 0; i < t->count; i++) {
        const struct line *l = &t->lines[i];
        l->text[l->parts.head_len] = '}';
        t->pieces[pieces++] = (struct many_piece){l->text - 1, l->parts.head_len + 2, t->leaves[i]};
        if (l->parts.open)
            t->pieces[pieces++] = (struct many_piece){l->parts.open, l->parts.open_len, t->opens[i]};
    }
    many_sha256(many, t->pieces, pieces);
}

static bool check_line(struct part *p, const struct together *t, size_t i)
{
    const struct sweep *s = p->sweep;
    const struct line *line = &t->lines[i];
    enum docket_finding docket;
    struct olv_error ignored = {0}; /* then the line is examined more closely */
    bool has_lost_name;
    char where[128];
    if (p->number < s->covered ? memcmp(s->hashes[p->number], t->leaves[i], OLV_SHA256_SIZE) != 0
                               : !s->allows_more)
        return false;
    if (!says_digest(line->text, line->parts, t->opens[i], &has_lost_name))
        return false;
    p->removed_names += has_lost_name;
    if (line->parts.open) /* an intent has nothing sealed */
        return true;
    docket = docket_of_line(s->state, p->hasher, &p->scratch, line->text, line->len, where, &ignored);
    p->segments += docket != DOCKET_NONE;
    return docket == DOCKET_NONE || docket == DOCKET_SOUND;
}

/* The next lines, each with a zero in place of its newline, which also precedes the next line. */
static void take_lines(struct part *p, struct together *t, char **at)
{
    for (t->count = 0; t->count < LINES && *at < p->to; t->count++) {
        struct line *line = &t->lines[t->count];
        char *stop = memchr(*at, '\n', (size_t)(p->to - *at));
        if (stop)
            *stop = '\0';
        else
            stop = p->to - 1; /* the last newline was replaced before, and another thread is looking at it */
        line->text = *at;
        line->len = (size_t)(stop - *at);
        line->is_whole = line->len > 0 && stop[-1] == '}';
        line->parts = line_split(line->text, line->len);
        *at = stop + 1;
    }
}

static void *check_part(void *argument)
{
    struct part *p = argument;
    struct together t;
    char *at = p->from;
    p->is_sound = true;
    while (p->is_sound && at < p->to) {
        take_lines(p, &t, &at);
        sweep_digest(&t, p->many);
        for (size_t i = 0; p->is_sound && i < t.count; i++) {
            p->is_sound = t.lines[i].is_whole && check_line(p, &t, i);
            p->number++;
        }
    }
    return NULL;
}

static uint64_t count_lines(const char *from, const char *to)
{
    uint64_t count = 0;
    while (from < to && (from = memchr(from, '\n', (size_t)(to - from)))) {
        count++;
        from++;
    }
    return count;
}

/* Splits the piece at newlines, and has the parts checked in parallel. */
static bool check_piece(struct part *parts, unsigned workers, char *from, char *to, uint64_t *number)
{
    char *at = from;
    unsigned started = 0;
    bool is_sound = true;
    for (unsigned i = 0; i < workers; i++) {
        char *end = i + 1 == workers ? to : from + (size_t)(to - from) * (i + 1) / workers;
        if (end < at)
            end = at;
        while (end < to && end > from && end[-1] != '\n')
            end++;
        parts[i].from = at;
        parts[i].to = end;
        parts[i].number = *number;
        *number += count_lines(at, end);
        at = end;
    }
    for (unsigned i = 0; i < workers;
         i++) /* the end of the line before, which another thread is looking at */
        parts[i].from[-1] = '\0';
    for (; started + 1 < workers; started++)
        if (pthread_create(&parts[started].thread, NULL, check_part, &parts[started]) != 0)
            break;
    for (unsigned i = started; i < workers; i++)
        check_part(&parts[i]);
    for (unsigned i = 0; i < started; i++)
        pthread_join(parts[i].thread, NULL);
    for (unsigned i = 0; i < workers; i++)
        is_sound = is_sound && parts[i].is_sound;
    return is_sound;
}

/* ---- a volume ---- */

static unsigned worker_count(void)
{
    unsigned cpus = olv_os_cpus();
    return cpus < MOST_WORKERS ? cpus : MOST_WORKERS;
}

/* Fills the buffer; the bytes of an incomplete line are already at its front. */
static ssize_t sweep_fill(int fd, char *buffer, size_t have)
{
    size_t len = have;
    ssize_t got = 1;
    while (len < PIECE && (got = read(fd, buffer + len, PIECE - len)) > 0)
        len += (size_t)got;
    return got < 0 ? -1 : (ssize_t)len;
}

static char *last_line_end(char *buffer, size_t len)
{
    while (len > 0 && buffer[len - 1] != '\n')
        len--;
    return buffer + len;
}

static bool check_file(struct part *parts, unsigned workers, int fd, char *buffer, uint64_t *number,
                       void (*tell)(void *self, uint64_t line), void *self)
{
    size_t have = 0;
    ssize_t len;
    while ((len = sweep_fill(fd, buffer, have)) > 0) {
        char *end = last_line_end(buffer, (size_t)len);
        if (end == buffer || !check_piece(parts, workers, buffer, end, number))
            return false; /* a line without an end, longer than a piece, or unsound */
        have = (size_t)(buffer + len - end);
        memmove(buffer, end, have);
        tell(self, *number);
    }
    return len == 0;
}

bool sweep_volume(struct sweep *s, uint64_t first, uint64_t *lines, void (*tell)(void *self, uint64_t line),
                  void *self)
{
    struct part parts[MOST_WORKERS] = {{0}};
    unsigned workers = worker_count();
    char name[LEDGER_NAME_SIZE], *buffer = malloc(1 + PIECE); /* with a byte before the first line */
    uint64_t number = first, removed = 0, segments = 0;
    bool is_sound = buffer != NULL;
    int fd;
    ledger_volume_name(first, name);
    fd = openat(s->dir, name, O_RDONLY | O_NOFOLLOW | O_CLOEXEC);
    for (unsigned i = 0; i < workers; i++) {
        parts[i].sweep = s;
        parts[i].hasher = olv_hasher_new();
        parts[i].many = many_hasher_new();
        is_sound = is_sound && parts[i].hasher && parts[i].many;
    }
    is_sound = is_sound && fd >= 0 && check_file(parts, workers, fd, buffer + 1, &number, tell, self);
    for (unsigned i = 0; i < workers; i++) {
        removed += parts[i].removed_names;
        segments += parts[i].segments;
        olv_hasher_free(parts[i].hasher);
        many_hasher_free(parts[i].many);
        olv_text_free(&parts[i].scratch);
    }
    olv_os_close(fd);
    free(buffer);
    if (!is_sound)
        return false;
    *lines += number - first;
    s->removed_names += removed;
    s->segments += segments;
    return true;
}

/* ---- the root ---- */

struct tiles {
    const uint8_t (*hashes)[OLV_SHA256_SIZE];
    uint8_t (*roots)[OLV_SHA256_SIZE]; /* one per full tile */
    uint64_t from, to;                 /* this worker's tiles */
    bool ok;
    pthread_t thread;
};

static void *fold_tiles(void *argument)
{
    struct tiles *t = argument;
    struct olv_hasher *hasher = olv_hasher_new();
    struct many_hasher *many = many_hasher_new();
    t->ok = hasher && many;
    for (uint64_t i = t->from; t->ok && i < t->to; i++)
        tree_tile_root(hasher, many, t->hashes + i * TILE_WIDTH, t->roots[i]);
    olv_hasher_free(hasher);
    many_hasher_free(many);
    return NULL;
}

bool sweep_root(const uint8_t (*hashes)[OLV_SHA256_SIZE], uint64_t count, uint8_t out[OLV_SHA256_SIZE])
{
    struct tiles work[MOST_WORKERS] = {{0}};
    unsigned workers = worker_count(), started = 0;
    uint64_t tiles = count / TILE_WIDTH;
    uint8_t(*roots)[OLV_SHA256_SIZE] = malloc((size_t)(tiles + 1) * OLV_SHA256_SIZE);
    struct tree *tree = malloc(sizeof *tree);
    struct olv_hasher *hasher = olv_hasher_new();
    bool ok = roots && tree && hasher;
    for (unsigned i = 0; ok && i < workers; i++)
        work[i] = (struct tiles){hashes, roots, tiles * i / workers, tiles * (i + 1) / workers, false, 0};
    for (; ok && started + 1 < workers; started++)
        if (pthread_create(&work[started].thread, NULL, fold_tiles, &work[started]) != 0)
            break;
    for (unsigned i = started; ok && i < workers; i++)
        fold_tiles(&work[i]);
    for (unsigned i = 0; i < started; i++)
        pthread_join(work[i].thread, NULL);
    for (unsigned i = 0; ok && i < workers; i++)
        ok = work[i].ok;
    if (ok) {
        tree_begin(tree, hasher, false);
        for (uint64_t i = 0; i < tiles; i++)
            tree_add_tile(tree, roots[i]);
        for (uint64_t i = tiles * TILE_WIDTH; i < count; i++)
            tree_add(tree, hashes[i]);
        tree_root(tree, out);
        tree_end(tree);
    }
    olv_hasher_free(hasher);
    free(tree);
    free(roots);
    return ok;
}
