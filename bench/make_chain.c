/* SPDX-License-Identifier: Apache-2.0 */
/* make_chain DIR DEPTH: one directory in the other, DEPTH of them, with a file in each. */
#include <fcntl.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <unistd.h>

int main(int argc, char **argv)
{
    long depth = argc == 3 ? atol(argv[2]) : 0;
    if (argc != 3 || mkdir(argv[1], 0755) < 0 || chdir(argv[1]) < 0)
        return 1;
    for (long i = 0; i < depth; i++) {
        int fd = open("reading.csv", O_WRONLY | O_CREAT, 0644);
        if (fd < 0 || write(fd, "time,metres", 11) != 11 || close(fd) < 0)
            return 1;
        if (mkdir("d", 0755) < 0 || chdir("d") < 0)
            return 1;
    }
    return 0;
}
