/* SPDX-License-Identifier: Apache-2.0 */
/* floor_search LEDGER BYTES: reads every volume and searches it for the bytes; prints how often they are
 * there. */
#include <dirent.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { BUFFER = 1 << 20 };

int main(int argc, char **argv)
{
    struct dirent **names;
    size_t needle = argc == 3 ? strlen(argv[2]) : 0;
    char *buffer = malloc(BUFFER);
    unsigned long found = 0;
    int dir, count;
    if (argc != 3)
        return 2;
    dir = open(argv[1], O_RDONLY | O_DIRECTORY);
    count = scandir(argv[1], &names, NULL, alphasort);
    for (int i = 0; i < count; i++) {
        size_t have = 0;
        ssize_t got;
        int fd = strncmp(names[i]->d_name, "lines-", 6) == 0 ? openat(dir, names[i]->d_name, O_RDONLY) : -1;
        while (fd >= 0 && (got = read(fd, buffer + have, BUFFER - have)) > 0) {
            size_t len = have + (size_t)got, keep = len < needle ? len : needle - 1;
            for (char *at = buffer; (at = memmem(at, (size_t)(buffer + len - at), argv[2], needle)); at++)
                found++;
            memmove(buffer, buffer + len - keep, keep);
            have = keep;
        }
        if (fd >= 0)
            close(fd);
    }
    printf("%lu\n", found);
    return 0;
}
