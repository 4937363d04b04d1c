/* SPDX-License-Identifier: Apache-2.0 */
#include "file/origin.h"

#include "file/attributes.h"
#include "olvido/json.h"
#include "os/files.h"

#include <stdio.h>
#include <string.h>

#define NOTE ATTRIBUTES_NOTES "origin"

enum { LARGEST_NOTE = 2048 };

static void put(const struct origin *o, const char *label, struct olv_text *out)
{
    olv_text_puts(out, "{");
    olv_json_put_name(out, "name", o->name);
    olv_json_put_string(out, "act", olv_act_word(o->act));
    olv_json_put_number(out, "size", o->size_bytes);
    olv_json_put_instant(out, "modified", o->modified);
    olv_json_put_string(out, "label", label);
    olv_text_puts(out, "}");
}

bool origin_write(int fd, const struct origin *origin, const char *label)
{
    struct olv_text note = {0};
    bool ok;
    put(origin, label, &note);
    ok = !note.failed && olv_os_set_attribute(fd, NOTE, note.data, note.len);
    olv_text_free(&note);
    return ok;
}

bool origin_is(int fd, const struct origin *origin, const char *label)
{
    char there[LARGEST_NOTE];
    struct olv_text note = {0};
    ssize_t len = olv_os_get_attribute(fd, NOTE, there, sizeof there);
    bool is_it;
    put(origin, label, &note);
    is_it = !note.failed && len == (ssize_t)note.len && memcmp(there, note.data, note.len) == 0;
    olv_text_free(&note);
    return is_it;
}

void origin_remove(int fd)
{
    olv_os_remove_attribute(fd, NOTE);
}

/* ---- reading ---- */

static bool act_of(const char *word, enum olv_act_id *out)
{
    for (int act = 0; act < OLV_ACT_RECOVER; act++)
        if (strcmp(word, olv_act_word((enum olv_act_id)act)) == 0) {
            *out = (enum olv_act_id)act;
            return true;
        }
    return false;
}

/* The note may be anybody's who can write to the file: it is believed only when all of it makes sense. */
static bool get(const json_t *json, struct origin *out)
{
    const char *act = json_string_value(json_object_get(json, "act"));
    const char *modified = json_string_value(json_object_get(json, "modified"));
    struct olv_text name = {0};
    size_t at;
    bool ok = act && modified && act_of(act, &out->act) &&
              olv_instant_parse(modified, strlen(modified), &out->modified, &at) &&
              olv_json_get_name(json, "name", &name) && name.len > 0 && name.len <= NAME_MAX &&
              !memchr(name.data, '/', name.len) && strlen(name.data) == name.len;
    if (ok)
        snprintf(out->name, sizeof out->name, "%s", name.data);
    out->size_bytes = olv_json_get_number(json, "size");
    olv_text_free(&name);
    return ok;
}

static bool parse(const void *note, size_t len, struct olv_instant modified, struct origin *out)
{
    json_t *json = json_loadb(note, len, 0, NULL);
    bool ok = json_is_object(json) && get(json, out) && olv_instant_compare(out->modified, modified) == 0;
    json_decref(json);
    return ok;
}

bool origin_read(int dir, const char *name, struct olv_instant modified, struct origin *out)
{
    char note[LARGEST_NOTE];
    ssize_t len = olv_os_get_attribute_of(dir, name, NOTE, note, sizeof note);
    return len > 0 && parse(note, (size_t)len, modified, out);
}

bool origin_of_member(const struct olv_member *m, struct origin *out)
{
    for (size_t i = 0; i < m->attribute_count; i++)
        if (strcmp(m->attributes[i].name, NOTE) == 0)
            return parse(m->attributes[i].value, m->attributes[i].len, m->modified, out);
    return false;
}
