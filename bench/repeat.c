/* SPDX-License-Identifier: Apache-2.0 */
/* repeat TIMES COMMAND...: runs the command so often, one after the other, for what is too short to be
 * measured. */
#include <spawn.h>
#include <stdlib.h>
#include <sys/wait.h>

extern char **environ;

int main(int argc, char **argv)
{
    int times = argc > 2 ? atoi(argv[1]) : -1, status = 0;
    for (int i = 0; i < times && status == 0; i++) {
        pid_t pid;
        if (posix_spawn(&pid, argv[2], NULL, NULL, argv + 2, environ) != 0)
            return 2;
        waitpid(pid, &status, 0);
    }
    return times < 0 || status != 0;
}
