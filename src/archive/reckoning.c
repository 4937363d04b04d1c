/* SPDX-License-Identifier: Apache-2.0 */
/* The manifest lists members in the order of the archive, so both lists are walked side by side: a line
 * without a note is a lost member, and a note without a line is one whose name was damaged. */
#include "archive/reckoning.h"

#include "archive/manifest_member.h"
#include "base/grow.h"
#include "base/temporary.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum {
    MOST_NAMELESS = 63,    /* this many members in a row may have names that the manifest does not list */
    MOST_AT_HAND = 1 << 16 /* this many notes stay in memory, and the rest in a file if possible */
};

#define MOST_ZEROS ((uint64_t)8 << 30) /* of all members: the most that is hashed of holes */

/* What is known of a member's contents. */
enum contents_known {
    CONTENTS_PROVEN,
    CONTENTS_DIGESTED,
    CONTENTS_DOUBTFUL /* some of both, or incomplete */
};

struct note {
    uint64_t path; /* its 64-bit XXH3 digest */
    enum contents_known known;
    uint8_t digest[OLV_SHA256_SIZE];
};

struct reckoning {
    struct reckoning_sink sink;
    /* Of the current member. */
    struct olv_hasher *hasher;
    enum contents_known known;
    bool has_data;
    uint64_t zeros; /* hashed, of all members */
    /* Notes. */
    FILE *file; /* the older notes; NULL: none there, or no file possible */
    bool has_tried;
    uint64_t in_file, read;              /* how many, and how many of them were read */
    struct note *at_hand;                /* the newer ones */
    size_t count, cap, used;             /* `used`: how many were read */
    struct note next[MOST_NAMELESS + 1]; /* read ahead */
    size_t next_count;
    struct manifest_feed feed;
    struct manifest_member member;
};

struct reckoning *reckoning_new(const struct reckoning_sink *sink, struct olv_error *err)
{
    struct reckoning *r = calloc(1, sizeof *r);
    if (r)
        r->hasher = olv_hasher_new();
    if (!r || !r->hasher) {
        olv_fail_memory(err);
        free(r);
        return NULL;
    }
    r->sink = *sink;
    return r;
}

void reckoning_free(struct reckoning *r)
{
    if (!r)
        return;
    if (r->file)
        fclose(r->file);
    olv_hasher_free(r->hasher);
    free(r->at_hand);
    manifest_feed_free(&r->feed);
    manifest_member_free(&r->member);
    free(r);
}

/* ---- notes ---- */

static bool cannot(struct olv_error *err, const char *what)
{
    return olv_fail_system(err, "", "cannot %s a temporary file", what);
}

/* If no file can be made, as on a system being rescued, memory must do. */
static bool move_to_file(struct reckoning *r, struct olv_error *err)
{
    if (!r->has_tried)
        r->file = olv_temporary();
    r->has_tried = true;
    if (!r->file)
        return true;
    if (fwrite(r->at_hand, sizeof *r->at_hand, r->count, r->file) != r->count)
        return cannot(err, "write");
    r->in_file += r->count;
    r->count = 0;
    return true;
}

static bool reckoning_make_room(struct reckoning *r, struct olv_error *err)
{
    if (r->count == MOST_AT_HAND && !move_to_file(r, err))
        return false;
    return grow(&r->at_hand, r->count, &r->cap, sizeof *r->at_hand) || olv_fail_memory(err);
}

/* Holes are zeros. */
static void digest_hole(struct reckoning *r, uint64_t to)
{
    uint64_t from = olv_hasher_length(r->hasher);
    r->zeros += to > from ? to - from : 0;
    if (r->zeros > MOST_ZEROS)
        r->known = CONTENTS_DOUBTFUL;
    else
        olv_hasher_fill(r->hasher, to);
}

void reckoning_begin(struct reckoning *r)
{
    r->known = CONTENTS_PROVEN;
    r->has_data = false;
}

void reckoning_data(struct reckoning *r, const uint8_t *bytes, size_t len, uint64_t at, bool is_proven)
{
    if (r->known == CONTENTS_PROVEN && !is_proven) {
        r->known = r->has_data ? CONTENTS_DOUBTFUL : CONTENTS_DIGESTED;
        olv_hasher_begin(r->hasher);
    }
    r->has_data = true;
    if (r->known == CONTENTS_DIGESTED)
        digest_hole(r, at);
    if (r->known == CONTENTS_DIGESTED)
        olv_hasher_add(r->hasher, bytes, len);
}

bool reckoning_note(struct reckoning *r, const char *path, uint64_t size_bytes, struct olv_error *err)
{
    struct note note;
    if (!reckoning_make_room(r, err))
        return false;
    if (r->known == CONTENTS_DIGESTED)
        digest_hole(r, size_bytes);
    memset(&note, 0, sizeof note);
    note.path = frame_check(path, strlen(path));
    note.known = r->known;
    if (r->known == CONTENTS_DIGESTED)
        olv_hasher_end(r->hasher, note.digest);
    r->at_hand[r->count++] = note;
    return true;
}

/* The next note; `*is_one` is false at the end. */
static bool take_note(struct reckoning *r, struct note *out, bool *is_one, struct olv_error *err)
{
    *is_one = true;
    if (r->read < r->in_file) {
        if (r->read++ == 0)
            rewind(r->file);
        return fread(out, sizeof *out, 1, r->file) == 1 || cannot(err, "read");
    }
    *is_one = r->used < r->count;
    if (*is_one)
        *out = r->at_hand[r->used++];
    return true;
}

/* ---- against the manifest ---- */

/* As many as there is room for. */
static bool read_notes(struct reckoning *r, struct olv_error *err)
{
    bool is_one = true;
    while (is_one && r->next_count <= MOST_NAMELESS) {
        if (!take_note(r, &r->next[r->next_count], &is_one, err))
            return false;
        r->next_count += is_one;
    }
    return true;
}

/* The note with this path; skips those before it. NULL if there is none. */
static const struct note *find(struct reckoning *r, uint64_t path)
{
    size_t i = 0;
    while (i < r->next_count && r->next[i].path != path)
        i++;
    if (i == r->next_count)
        return NULL;
    r->next_count -= i;
    memmove(r->next, r->next + i, r->next_count * sizeof r->next[0]);
    return r->next;
}

/* The line of a member. */
static bool reckoning_compare(struct reckoning *r, struct olv_error *err)
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
    r->next_count--;
    memmove(r->next, r->next + 1, r->next_count * sizeof r->next[0]);
    return true;
}

static bool reckoning_take_line(void *self, const char *text, size_t len, struct olv_error *err)
{
    struct reckoning *r = self;
    json_t *json = json_loadb(text, len, 0, NULL);
    bool is_member = json && json_object_get(json, "path");
    bool ok = json && (!is_member || manifest_member_read(&r->member, json));
    json_decref(json);
    if (!ok)
        return olv_fail(err, OLV_BROKEN, "its manifest makes no sense");
    return !is_member || reckoning_compare(r, err);
}

bool reckoning_manifest(struct reckoning *r, const uint8_t *bytes, size_t len, struct olv_error *err)
{
    return manifest_feed_add(&r->feed, bytes, len, reckoning_take_line, r, err);
}

void reckoning_end(struct reckoning *r)
{
    if (r->file)
        rewind(r->file);
    r->in_file = r->read = 0;
    r->count = r->used = r->next_count = 0;
    olv_text_clear(&r->feed.line);
}
