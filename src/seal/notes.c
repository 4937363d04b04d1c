/* SPDX-License-Identifier: Apache-2.0 */
/* keys/notes.key: 32 random bytes in hexadecimal, and a line feed. */
#include "seal/notes.h"

#include "base/digest.h"
#include "olvido/notes.h"
#include "olvido/text.h"
#include "os/durable.h"
#include "os/os.h"
#include "os/private.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static const char NAME[] = "notes.key";

enum { DIGITS = 2 * sizeof((struct olv_notes *)0)->key };

static bool notes_make(int keys, struct olv_notes *out, struct olv_error *err)
{
    char line[DIGITS + 2];
    if (!olv_random(out->key, sizeof out->key))
        return olv_fail(err, OLV_STATE, "cannot make a key for notes: no random numbers");
    olv_hex(out->key, sizeof out->key, line);
    memcpy(line + DIGITS, "\n", 2);
    return olv_publish(keys, NAME, line, DIGITS + 1, err);
}

bool notes_read(int state, bool can_make, struct olv_notes *out, struct olv_error *err)
{
    struct olv_text line = {0};
    int keys = olv_private_open(state, "keys", can_make, "keys", "the directory of keys", err);
    bool ok = keys >= 0 && olv_read_file(keys, NAME, sizeof out->key * 4, &line, err);
    *out = (struct olv_notes){0};
    if (ok)
        ok = (line.len == DIGITS + 1 && olv_unhex(line.data, DIGITS, out->key)) ||
             olv_error_at((olv_fail(err, OLV_BROKEN, "the key for notes is damaged"), err), "keys/notes.key");
    else if (keys >= 0 && can_make && err->sys == ENOENT) {
        olv_error_clear(err);
        ok = notes_make(keys, out, err);
    }
    out->has_key = ok;
    olv_os_close(keys);
    olv_text_free(&line);
    return ok;
}

struct olv_notes *olv_notes_read(const char *state, struct olv_error *err)
{
    struct olv_notes *notes = calloc(1, sizeof *notes);
    int dir = notes ? olv_private_open(AT_FDCWD, state, false, state, "the state directory", err) : -1;
    if (!notes)
        olv_fail_memory(err);
    else if (dir >= 0)
        notes_read(dir, false, notes, err);
    olv_os_close(dir);
    if (notes && err->sys == ENOENT)
        olv_error_clear(err);
    if (err->code == OLV_OK)
        return notes;
    free(notes);
    return NULL;
}

void olv_notes_free(struct olv_notes *notes)
{
    free(notes);
}
