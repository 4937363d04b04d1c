/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as an info file of the trash: torn, or a path that is written and read again as the same. */
#include "fuzz.h"
#include "trash/trash.h"

#include <string.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct olv_text path = {0}, again = {0}, written = {0};
    struct olv_instant deleted;
    char *text = malloc(size + 1), run[TRASH_RUN_SIZE], run_again[TRASH_RUN_SIZE];
    memcpy(text, data, size);
    text[size] = '\0';
    if (olv_trash_info_read(text, size, &path, &deleted, run)) {
        must(path.len > 0 && strlen(path.data) == path.len);
        olv_trash_info_write(&written, path.data, "2026-10-03T14:05:00", run);
        must(olv_trash_info_read(written.data, written.len, &again, &deleted, run_again));
        must(again.len == path.len && memcmp(again.data, path.data, path.len) == 0);
        must(strcmp(run, run_again) == 0);
    }
    olv_text_free(&path);
    olv_text_free(&again);
    olv_text_free(&written);
    free(text);
    return 0;
}
