/* SPDX-License-Identifier: Apache-2.0 */
/* What an entry says about itself. */
#include "olvido/docket.h"
#include "olvido/path.h"

void olv_docket_entry_path(const struct olv_docket_entry *entry, struct olv_text *out)
{
    olv_path_add(out, entry->directory, entry->name);
}

uint64_t olv_docket_entry_files(const struct olv_docket_entry *entry)
{
    return entry->identity.kind == OLV_KIND_DIRECTORY ? entry->contents.files : 1;
}

uint64_t olv_docket_entry_size(const struct olv_docket_entry *entry)
{
    if (entry->location)
        return entry->location->size_bytes;
    return entry->identity.kind == OLV_KIND_DIRECTORY ? entry->contents.bytes : entry->identity.size_bytes;
}

void olv_docket_entry_shown(const struct olv_docket_entry *entry, struct olv_text *out)
{
    if (entry->place != OLV_IN_TREE && *entry->target)
        olv_text_puts(out, entry->target);
    else
        olv_docket_entry_path(entry, out);
}

struct olv_instant olv_docket_entry_modified(const struct olv_docket_entry *entry)
{
    return entry->location ? entry->location->modified : entry->identity.modified;
}

const char *olv_if_exists_word(enum olv_if_exists what)
{
    static const char *const words[] = {"refuse", "skip", "number", "set-aside", "replace"};
    return words[what];
}
