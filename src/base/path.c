/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/path.h"

#include <string.h>

const char *olv_path_behind(const char *path, const char *top)
{
    size_t n = strcmp(top, "/") != 0 ? strlen(top) : 0;
    if (strncmp(path, top, n) != 0 || (path[n] && path[n] != '/'))
        return NULL;
    return strcmp(path + n, "/") != 0 ? path + n : "";
}

void olv_path_cut(char *path)
{
    size_t len = strlen(path), top = path[0] == '/';
    while (len > top && path[len - 1] == '/')
        len--;
    while (len > top && path[len - 1] != '/')
        len--;
    while (len > top && path[len - 1] == '/')
        len--;
    path[len] = '\0';
}

const char *olv_path_name(const char *path)
{
    const char *slash = strrchr(path, '/');
    return slash ? slash + 1 : path;
}

size_t olv_path_directory_len(const char *path)
{
    const char *slash = strrchr(path, '/');
    return slash == path ? 1 : slash ? (size_t)(slash - path) : 0;
}

char *olv_path_directory(const char *path)
{
    size_t len = olv_path_directory_len(path);
    return len ? strndup(path, len) : strdup(".");
}

void olv_path_add(struct olv_text *out, const char *directory, const char *name)
{
    olv_text_puts(out, directory);
    if (strcmp(directory, "/") != 0)
        olv_text_puts(out, "/");
    olv_text_puts(out, name);
}

/* Names are ended by 1, and the last one by 255. */
void olv_path_add_bottom_up(struct olv_text *out, const char *directory, const char *name)
{
    size_t at = out->len;
    olv_path_add(out, directory, name);
    for (; at < out->len; at++)
        if (out->data[at] == '/')
            out->data[at] = '\1';
    olv_text_puts(out, "\377");
}
