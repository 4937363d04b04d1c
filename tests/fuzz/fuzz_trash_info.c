/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as an info file of the trash: torn, or a path that is written and read again as the same. */
#include "fuzz.h"
#include "trash/trash.h"

#include <string.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct trash_info info = {0}, again = {0};
    struct olv_text written = {0};
    char *text = malloc(size + 1);
    memcpy(text, data, size);
    text[size] = '\0';
    if (olv_trash_info_read(text, size, &info)) {
        struct olv_contents contents = {.files = info.files, .bytes = info.bytes};
        must(info.path.len > 0 && strlen(info.path.data) == info.path.len);
        olv_trash_info_write(&written, info.path.data, "2026-10-03T14:05:00", info.run,
                             olv_text_string(&info.rule), info.has_contents ? &contents : NULL);
        must(olv_trash_info_read(written.data, written.len, &again));
        must(again.path.len == info.path.len && memcmp(again.path.data, info.path.data, info.path.len) == 0);
        must(strcmp(info.run, again.run) == 0 && info.has_contents == again.has_contents);
        must(olv_text_is_same(&info.rule, &again.rule));
        must(!info.has_contents || (info.files == again.files && info.bytes == again.bytes));
    }
    olv_text_free(&info.path);
    olv_text_free(&again.path);
    olv_text_free(&info.rule);
    olv_text_free(&again.rule);
    olv_text_free(&written);
    free(text);
    return 0;
}
