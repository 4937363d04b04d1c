/* SPDX-License-Identifier: Apache-2.0 */
/* Enters what a manifest says into the catalogue and the list of frames. */
#include "depot/reread_parts.h"

#include "archive/manifest.h"
#include "base/grow.h"
#include "olvido/path.h"

#include <stdlib.h>
#include <string.h>

static bool reread_lines_senseless(struct olv_error *err)
{
    return olv_fail(err, OLV_BROKEN, "its manifest makes no sense");
}

static bool take_head(struct reading *r, const json_t *json, struct olv_error *err)
{
    if (strcmp(manifest_string(json, "olvido"), "archive") != 0 || olv_json_get_number(json, "version") != 1)
        return olv_fail(err, OLV_BROKEN, "its manifest has a format that this version does not know");
    olv_text_puts(&r->run, manifest_string(json, "run"));
    olv_text_puts(&r->rule, manifest_string(json, "rule"));
    r->has_begun = true;
    if (!manifest_read_id(json, r->archive.id))
        return olv_fail(err, OLV_BROKEN, "its manifest does not say which archive it is");
    return manifest_instant(json, "made", &r->archive.made) || reread_lines_senseless(err);
}

static bool reread_lines_take_member(struct reading *r, const json_t *json, struct olv_error *err)
{
    struct manifest_member *m = &r->member;
    r->archive.members++;
    if (!manifest_member_read(m, json))
        return reread_lines_senseless(err);
    if (m->path.len >= OLV_LONGEST_PATH) /* with the slash before it */
        return olv_fail(err, OLV_BROKEN, "a member of it has a path of more than %d bytes", OLV_LONGEST_PATH);
    r->archive.bytes += m->member.size_bytes;
    if (!grow(&r->places, r->place_count, &r->place_cap, sizeof *r->places))
        return olv_fail_memory(err);
    r->places[r->place_count++] = (struct member_position){m->made.frame, m->made.at};
    return catalogue_put_member(r->options->catalogue, r->row, &m->made, err);
}

static bool take_frame(struct reading *r, const json_t *json, struct olv_error *err)
{
    struct frame said = {olv_json_get_number(json, "begins"), (uint32_t)olv_json_get_number(json, "length"),
                         (uint32_t)olv_json_get_number(json, "plain"),
                         strtoull(manifest_string(json, "check"), NULL, 16),
                         strtoull(manifest_string(json, "packed_check"), NULL, 16)};
    return olv_json_get_number(json, "frame") == r->said.count
               ? frame_list_add(&r->said, said) || olv_fail_memory(err)
               : reread_lines_senseless(err);
}

bool reread_line(void *self, const char *line, size_t len, struct olv_error *err)
{
    struct reading *r = self;
    json_t *json = json_loadb(line, len, 0, NULL);
    bool ok;
    if (!json)
        return reread_lines_senseless(err);
    olv_hasher_add(r->hasher, line, len);
    olv_hasher_add(r->hasher, "\n", 1);
    if (!r->has_begun)
        ok = take_head(r, json, err);
    else if (json_object_get(json, "path"))
        ok = reread_lines_take_member(r, json, err);
    else if (json_object_get(json, "begins"))
        ok = take_frame(r, json, err);
    else {
        r->has_headers = manifest_digest_of(json, "headers", r->headers);
        ok = r->has_ended = json_object_get(json, "members") != NULL &&
                            olv_json_get_number(json, "members") == r->archive.members;
    }
    if (!ok && err->code == OLV_OK)
        reread_lines_senseless(err);
    json_decref(json);
    return ok;
}

bool reread_begin(struct reading *r, struct olv_error *err)
{
    struct catalogue_archive unknown = r->archive;
    unknown.run = unknown.rule = "";
    olv_hasher_begin(r->hasher);
    r->row = catalogue_make(r->options->catalogue, &unknown, ".olvido-reading", err);
    return r->row != 0;
}

bool reread_forget(struct reading *r, struct olv_error *err)
{
    if (!catalogue_forget(r->options->catalogue, r->row, err))
        return false;
    olv_text_clear(&r->run);
    olv_text_clear(&r->rule);
    r->has_begun = r->has_ended = false;
    r->archive.members = r->archive.bytes = 0;
    r->said.count = r->place_count = 0;
    return reread_begin(r, err);
}
