/* SPDX-License-Identifier: Apache-2.0 */
/* The manifest names members in the order in which they lie in the archive. So the two lists are gone through
 * side by side: a line without a note is of a member that is lost, and a note without a line of one whose
 * name was damaged. */
#include "archive/reckoning.h"

#include "archive/manifest_member.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* So many members in a row may have names that the manifest does not know. */
enum { MOST_NAMELESS = 63 };

struct note {
    uint64_t path; /* a digest of it: XXH3, 64 bits */
    enum contents_known known;
    uint8_t digest[OLV_SHA256_SIZE];
};

struct reckoning {
    struct reckoning_sink sink;
    FILE *notes;
    uint64_t written, read;              /* how many of them */
    struct note next[MOST_NAMELESS + 1]; /* read ahead */
    size_t count;
    bool is_reading;
    struct manifest_feed feed;
    struct manifest_member member;
};

struct reckoning *reckoning_new(const struct reckoning_sink *sink, struct olv_error *err)
{
    struct reckoning *r = calloc(1, sizeof *r);
    if (!r) {
        olv_fail_memory(err);
        return NULL;
    }
    r->sink = *sink;
    r->notes = tmpfile();
    if (r->notes)
        return r;
    olv_fail_system(err, "", "cannot make a temporary file");
    free(r);
    return NULL;
}

void reckoning_free(struct reckoning *r)
{
    if (!r)
        return;
    fclose(r->notes);
    manifest_feed_free(&r->feed);
    manifest_member_free(&r->member);
    free(r);
}

static bool cannot(struct olv_error *err, const char *what)
{
    return olv_fail_system(err, "", "cannot %s a temporary file", what);
}

bool reckoning_note(struct reckoning *r, const char *path, enum contents_known known,
                    const uint8_t digest[OLV_SHA256_SIZE], struct olv_error *err)
{
    struct note note;
    memset(&note, 0, sizeof note);
    note.path = frame_check(path, strlen(path));
    note.known = known;
    if (known == CONTENTS_DIGESTED)
        memcpy(note.digest, digest, sizeof note.digest);
    r->written++;
    return fwrite(&note, sizeof note, 1, r->notes) == 1 || cannot(err, "write");
}

/* ---- against the manifest ---- */

/* As many as there is room for. */
static bool read_notes(struct reckoning *r, struct olv_error *err)
{
    while (r->count <= MOST_NAMELESS && r->read < r->written) {
        if (fread(&r->next[r->count], sizeof r->next[0], 1, r->notes) != 1)
            return cannot(err, "read");
        r->read++;
        r->count++;
    }
    return true;
}

/* The note with this path; those before it are passed over. NULL where there is none. */
static const struct note *find(struct reckoning *r, uint64_t path)
{
    size_t i = 0;
    while (i < r->count && r->next[i].path != path)
        i++;
    if (i == r->count)
        return NULL;
    r->count -= i;
    memmove(r->next, r->next + i, r->count * sizeof r->next[0]);
    return r->next;
}

/* The line of a member. */
static bool compare(struct reckoning *r, struct olv_error *err)
{
    const struct manifest_member *line = &r->member;
    const char *path = line->member.path;
    const struct note *note;
    if (!read_notes(r, err))
        return false;
    note = find(r, frame_check(path, strlen(path)));
    if (!note) {
        r->sink.missing(r->sink.self, path, MISSING_LOST);
        return true;
    }
    if (note->known == CONTENTS_DOUBTFUL)
        r->sink.missing(r->sink.self, path, MISSING_UNPROVEN);
    else if (note->known == CONTENTS_DIGESTED && line->made.has_digest &&
             memcmp(note->digest, line->made.digest, OLV_SHA256_SIZE) != 0)
        r->sink.missing(r->sink.self, path, MISSING_ALTERED);
    r->count--;
    memmove(r->next, r->next + 1, r->count * sizeof r->next[0]);
    return true;
}

static bool take_line(void *self, const char *text, size_t len, struct olv_error *err)
{
    struct reckoning *r = self;
    json_t *json = json_loadb(text, len, 0, NULL);
    bool is_member = json && json_object_get(json, "path");
    bool ok = json && (!is_member || manifest_member_read(&r->member, json));
    json_decref(json);
    if (!ok)
        return olv_fail(err, OLV_BROKEN, "its manifest makes no sense");
    return !is_member || compare(r, err);
}

bool reckoning_add(struct reckoning *r, const uint8_t *bytes, size_t len, struct olv_error *err)
{
    if (!r->is_reading) { /* from writing to reading, at the first note that was not read */
        if (fflush(r->notes) != 0 || fseek(r->notes, (long)(r->read * sizeof r->next[0]), SEEK_SET) != 0)
            return cannot(err, "read");
        r->is_reading = true;
    }
    return manifest_feed_add(&r->feed, bytes, len, take_line, r, err);
}

void reckoning_end(struct reckoning *r)
{
    r->read = r->written;
    r->count = 0;
    r->is_reading = false;
    fseek(r->notes, 0, SEEK_END);
}
