/* SPDX-License-Identifier: Apache-2.0 */
/* make_pages ROOT: writes what docs/ says of the keys of acts. See tools/pages. */
#include "support/pages.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

int main(int argc, char **argv)
{
    for (const struct page *page = pages; argc == 2 && page->path; page++) {
        char path[4096], *is = page_read(argv[1], page), *made = is ? page_make(page, is) : NULL;
        FILE *file;
        snprintf(path, sizeof path, "%s/%s", argv[1], page->path);
        file = made ? fopen(path, "w") : NULL;
        if (!file || fwrite(made, 1, strlen(made), file) != strlen(made) || fclose(file) != 0) {
            perror(path);
            return 1;
        }
        free(is);
        free(made);
    }
    return argc != 2;
}
