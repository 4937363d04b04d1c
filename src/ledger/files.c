/* SPDX-License-Identifier: Apache-2.0 */
#include "ledger/files.h"

#include "base/grow.h"
#include "os/durable.h"
#include "os/os.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

void ledger_volume_name(uint64_t first, char out[LEDGER_NAME_SIZE])
{
    snprintf(out, LEDGER_NAME_SIZE, "lines-%012llu.jsonl", (unsigned long long)(first % 1000000000000u));
}

static int by_number(const void *a, const void *b)
{
    const uint64_t *x = a, *y = b;
    return *x < *y ? -1 : *x > *y;
}

static bool add_first(uint64_t **firsts, size_t *count, uint64_t first)
{
    if (!grow_by_one(firsts, *count, sizeof **firsts))
        return false;
    (*firsts)[(*count)++] = first;
    return true;
}

bool ledger_volumes(int dir, uint64_t **firsts, size_t *count, struct olv_error *err)
{
    int fd = openat(dir, ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    DIR *stream = fd >= 0 ? fdopendir(fd) : NULL;
    struct dirent *entry;
    bool ok = true;
    *firsts = NULL;
    *count = 0;
    if (!stream) {
        olv_fail_system(err, "ledger", "cannot read the ledger's directory");
        olv_os_close(fd);
        return false;
    }
    while (ok && (errno = 0, entry = readdir(stream))) {
        char name[LEDGER_NAME_SIZE];
        unsigned long long first;
        if (sscanf(entry->d_name, "lines-%12llu.jsonl", &first) != 1)
            continue;
        ledger_volume_name(first, name);
        if (strcmp(name, entry->d_name) == 0)
            ok = *count < MOST_VOLUMES && add_first(firsts, count, first);
    }
    if (ok && errno) {
        olv_fail_system(err, "ledger", "cannot read the ledger's directory");
        closedir(stream);
        free(*firsts);
        *firsts = NULL;
        return false;
    }
    closedir(stream);
    if (*count)
        qsort(*firsts, *count, sizeof **firsts, by_number);
    return ok ? true : olv_fail_memory(err);
}

/* ---- lines ---- */

enum { READ_SIZE = 1 << 18, LONGEST_LINE = 1 << 24 };

bool line_reader_open(struct line_reader *r, int dir, const char *name, struct olv_error *err)
{
    *r = (struct line_reader){.fd = openat(dir, name, O_RDONLY | O_NOFOLLOW | O_CLOEXEC)};
    if (r->fd < 0)
        return olv_fail_system(err, name, "cannot open a volume of the ledger");
    r->cap = 2 * READ_SIZE;
    r->buffer = malloc(r->cap + 1);
    if (r->buffer)
        return true;
    close(r->fd);
    return olv_fail_memory(err);
}

static bool files_fill(struct line_reader *r, struct olv_error *err)
{
    ssize_t got;
    memmove(r->buffer, r->buffer + r->at, r->len - r->at);
    r->len -= r->at;
    r->at = 0;
    if (r->cap - r->len < READ_SIZE) {
        char *grown = r->cap < LONGEST_LINE ? realloc(r->buffer, 2 * r->cap + 1) : NULL;
        if (!grown)
            return olv_fail(err, OLV_BROKEN, "a line of the ledger is longer than 16 MiB");
        r->buffer = grown;
        r->cap *= 2;
    }
    got = read(r->fd, r->buffer + r->len, r->cap - r->len);
    if (got < 0)
        return olv_fail_system(err, "ledger", "cannot read the ledger");
    r->at_end = got == 0;
    r->len += (size_t)got;
    return true;
}

char *line_reader_next(struct line_reader *r, size_t *len, bool *is_torn, struct olv_error *err)
{
    size_t searched = 0;
    char *line, *stop = NULL;
    olv_error_clear(err);
    while (!(stop = memchr(r->buffer + r->at + searched, '\n', r->len - r->at - searched)) && !r->at_end) {
        searched = r->len - r->at;
        if (!files_fill(r, err))
            return NULL;
    }
    line = r->buffer + r->at;
    *is_torn = !stop;
    *len = stop ? (size_t)(stop - line) : r->len - r->at;
    if (!stop && *len == 0)
        return NULL;
    line[*len] = '\0';
    r->at += *len + (stop ? 1 : 0);
    return line;
}

bool line_reader_seek(struct line_reader *r, uint64_t *at, struct olv_error *err)
{
    uint64_t from = *at ? *at - 1 : 0; /* a line begins there if the byte before ends one */
    bool is_torn;
    size_t len;
    olv_error_clear(err);
    r->at = r->len = 0;
    r->at_end = false;
    if (lseek(r->fd, (off_t)from, SEEK_SET) < 0)
        return olv_fail_system(err, "ledger", "cannot read the ledger");
    if (*at == 0)
        return true;
    if (line_reader_next(r, &len, &is_torn, err))
        *at = from + len + 1;
    return err->code == OLV_OK;
}

struct olv_instant line_time(const char *line)
{
    static const char member[] = ",\"time\":\"";
    struct olv_instant t = {0};
    const char *at = strstr(line, member);
    size_t ignored, len;
    if (!at)
        return t;
    at += sizeof member - 1;
    len = strcspn(at, "\"");
    return olv_instant_parse(at, len, &t, &ignored) ? t : (struct olv_instant){0};
}

bool line_reader_end(struct line_reader *r, uint64_t size, uint64_t *at, struct olv_error *err)
{
    enum { PIECE = 4096 };
    char piece[PIECE];
    for (*at = size; *at > 0;) {
        size_t want = *at < PIECE ? (size_t)*at : PIECE, len;
        ssize_t got = pread(r->fd, piece, want, (off_t)(*at - want));
        if (got != (ssize_t)want)
            return olv_fail_system(err, "ledger", "cannot read the ledger");
        for (len = want; len > 0; len--)
            if (piece[len - 1] == '\n') {
                *at -= want - len;
                return true;
            }
        *at -= want;
    }
    return true;
}

void line_reader_close(struct line_reader *r)
{
    olv_os_close(r->fd);
    free(r->buffer);
    *r = (struct line_reader){.fd = -1};
}

/* A quote inside a JSON string is escaped, so these bytes cannot be inside one: the first match is the
 * member. */
struct line_parts line_split(const char *line, size_t len)
{
    static const char member[] = ",\"open\":";
    const char *at = strstr(line, member);
    struct line_parts parts = {.head_len = len ? len - 1 : 0};
    if (!at || len < sizeof member)
        return parts;
    parts.head_len = (size_t)(at - line);
    parts.open = at + sizeof member - 1;
    parts.open_len = (size_t)(line + len - 1 - parts.open);
    return parts;
}

void line_leaf(struct olv_hasher *hasher, const char *line, struct line_parts parts,
               uint8_t out[OLV_SHA256_SIZE])
{
    static const uint8_t prefix = 0; /* of a leaf: RFC 9162, section 2.1.1 */
    olv_hasher_begin(hasher);
    olv_hasher_add(hasher, &prefix, 1);
    olv_hasher_add(hasher, line, parts.head_len);
    olv_hasher_add(hasher, "}", 1);
    olv_hasher_end(hasher, out);
}

/* ---- the checkpoint (C2SP tlog-checkpoint): origin, size, root in base64, each in a line ---- */

enum { LARGEST_CHECKPOINT = 4096 };

static bool parse_checkpoint(const char *body, const char *origin, struct checkpoint *out)
{
    char name[64], base64[64];
    uint8_t root[48];
    unsigned long long size;
    if (sscanf(body, "%63[^\n]\n%20llu\n%63[^\n]\n", name, &size, base64) != 3 || strcmp(name, origin) != 0)
        return false;
    if (olv_unbase64(base64, strlen(base64), root) != OLV_SHA256_SIZE)
        return false;
    out->size = size;
    memcpy(out->root, root, sizeof out->root);
    return true;
}

bool checkpoint_origin(int dir, char out[ORIGIN_SIZE], struct olv_error *err)
{
    struct olv_text note = {0};
    bool ok = olv_read_file(dir, "checkpoint", LARGEST_CHECKPOINT, &note, err);
    const char *text = olv_text_string(&note);
    size_t len = strcspn(text, "\n");
    snprintf(out, ORIGIN_SIZE, "%.*s", ok && len < ORIGIN_SIZE ? (int)len : 0, text);
    olv_text_free(&note);
    if (!ok && err->sys == ENOENT) {
        olv_error_clear(err);
        return true;
    }
    return ok || olv_error_at(err, "ledger/checkpoint");
}

bool checkpoint_parse(const char *note, size_t len, const struct olv_key *key, struct checkpoint *out,
                      struct olv_error *err)
{
    size_t body_len;
    return olv_note_verify(key, note, len, &body_len, err) &&
           (parse_checkpoint(note, olv_key_origin(key), out) ||
            olv_fail(err, OLV_BROKEN, "the checkpoint cannot be read"));
}

static bool read_note(int dir, const char *name, const struct olv_key *key, struct checkpoint *out,
                      struct olv_error *err)
{
    struct olv_text note = {0};
    bool ok = olv_read_file(dir, name, LARGEST_CHECKPOINT, &note, err) &&
              checkpoint_parse(olv_text_string(&note), note.len, key, out, err);
    olv_text_free(&note);
    return ok;
}

bool checkpoint_read(int dir, const struct olv_key *key, struct checkpoint *out, struct olv_error *err)
{
    return read_note(dir, "checkpoint", key, out, err) || olv_error_at(err, "ledger/checkpoint");
}

static const char LAST[] = "runs/checkpoint", NEXT[] = "runs/checkpoint.new";

bool checkpoint_read_last(int state, const struct olv_key *key, uint64_t beyond, struct checkpoint *out,
                          struct olv_error *err)
{
    struct olv_text note = {0};
    bool is_it = olv_read_file(state, LAST, LARGEST_CHECKPOINT, &note, err) &&
                 parse_checkpoint(olv_text_string(&note), olv_key_origin(key), out) && out->size > beyond &&
                 checkpoint_parse(olv_text_string(&note), note.len, key, out, err);
    olv_text_free(&note);
    if (is_it)
        return true;
    if (olv_read_failed_for_now(err))
        return false;
    *out = (struct checkpoint){.size = 0}; /* missing, torn, or not beyond */
    olv_error_clear(err);
    return true;
}

/* It need not be durable: it is never newer than the one in the ledger. */
static void write_last(int state, const struct olv_text *note)
{
    int fd = openat(state, NEXT, O_WRONLY | O_CREAT | O_TRUNC | O_NOFOLLOW | O_CLOEXEC, 0600);
    bool ok = fd >= 0 && olv_write_all(fd, note->data, note->len);
    olv_os_close(fd);
    if (!ok || renameat(state, NEXT, state, LAST) != 0)
        unlinkat(state, NEXT, 0);
}

bool checkpoint_write(int dir, int state, const struct olv_key *key, const struct checkpoint *checkpoint,
                      struct olv_error *err)
{
    struct olv_text body = {0}, note = {0};
    char base64[48];
    bool ok;
    olv_base64(checkpoint->root, sizeof checkpoint->root, base64);
    olv_text_printf(&body, "%s\n%llu\n%s\n", olv_key_origin(key), (unsigned long long)checkpoint->size,
                    base64);
    ok = body.failed ? olv_fail_memory(err) : olv_note_sign(key, &body, &note, err);
    ok = ok && olv_publish(dir, "checkpoint", note.data, note.len, err);
    if (ok && state >= 0)
        write_last(state, &note);
    olv_text_free(&body);
    olv_text_free(&note);
    return ok;
}
