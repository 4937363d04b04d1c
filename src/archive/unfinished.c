/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/unfinished.h"

#include "olvido/text.h"
#include "os/durable.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define NAME "unfinished"

bool unfinished_note(int notes, const struct unfinished *u, struct olv_error *err)
{
    struct olv_text text = {0};
    bool ok;
    olv_text_printf(&text, "%llu %s %s", (unsigned long long)u->inode, *u->temporary ? u->temporary : "-",
                    u->path);
    ok = text.failed ? olv_fail_memory(err) : olv_publish(notes, NAME, text.data, text.len, err);
    olv_text_free(&text);
    return ok;
}

void unfinished_clear(int notes)
{
    unlinkat(notes, NAME, 0);
}

bool unfinished_read(int notes, struct unfinished *out)
{
    struct olv_text text = {0};
    struct olv_error ignored = {0};
    char *name = NULL, *path = NULL;
    bool ok = olv_read_file(notes, NAME, sizeof *out + 32, &text, &ignored) && text.data &&
              (name = strchr(text.data, ' ')) && (path = strchr(name + 1, ' ')) && path[1] == '/' &&
              strlen(path + 1) < sizeof out->path && (size_t)(path - name) < sizeof out->temporary;
    if (ok) {
        out->inode = strtoull(text.data, NULL, 10);
        snprintf(out->temporary, sizeof out->temporary, "%.*s", (int)(path - name - 1), name + 1);
        if (strcmp(out->temporary, "-") == 0 || strchr(out->temporary, '/'))
            out->temporary[0] = '\0';
        snprintf(out->path, sizeof out->path, "%s", path + 1);
    }
    olv_text_free(&text);
    return ok;
}
