/* SPDX-License-Identifier: Apache-2.0 */
/* compare NAME BAR PAIRS PREPARE FLOOR COMMAND: runs the two commands (for sh) in turn, PAIRS times, each
 * after PREPARE, and prints the median of the ratios of wall time and of CPU time, and the largest memory of
 * COMMAND. Never a bare time: machines differ and are noisy. Exits with 1 when the wall ratio is above BAR,
 * which is "none" where there is none. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

enum { MOST_PAIRS = 99 };

struct cost {
    double wall, cpu;
    long rss_kib;
};

static double now(void)
{
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec / 1e9;
}

static double seconds(struct timeval t)
{
    return (double)t.tv_sec + (double)t.tv_usec / 1e6;
}

static struct cost measure(const char *command)
{
    struct cost cost = {0};
    struct rusage usage;
    double begin = now();
    int status;
    pid_t pid = fork();
    if (pid == 0) {
        execl("/bin/sh", "sh", "-c", command, (char *)NULL);
        _exit(127);
    }
    if (wait4(pid, &status, 0, &usage) < 0 || status != 0) {
        fprintf(stderr, "compare: this failed: %s\n", command);
        exit(2);
    }
    cost.wall = now() - begin;
    cost.cpu = seconds(usage.ru_utime) + seconds(usage.ru_stime);
    cost.rss_kib = usage.ru_maxrss;
    return cost;
}

static int by_size(const void *a, const void *b)
{
    const double *x = a, *y = b;
    return *x < *y ? -1 : *x > *y;
}

static double median(double *values, int count)
{
    qsort(values, (size_t)count, sizeof *values, by_size);
    return values[count / 2];
}

int main(int argc, char **argv)
{
    double wall[MOST_PAIRS], cpu[MOST_PAIRS], w;
    long rss = 0;
    int pairs;
    if (argc != 7)
        return 2;
    pairs = atoi(argv[3]);
    pairs = pairs < 1 ? 1 : pairs > MOST_PAIRS ? MOST_PAIRS : pairs;
    for (int i = 0; i < pairs; i++) {
        struct cost floor_cost, cost;
        measure(argv[4]);
        floor_cost = measure(argv[5]);
        measure(argv[4]);
        cost = measure(argv[6]);
        wall[i] = cost.wall / floor_cost.wall;
        cpu[i] = cost.cpu / floor_cost.cpu;
        rss = cost.rss_kib > rss ? cost.rss_kib : rss;
        fprintf(stderr, "  pair %d: wall x %.2f, cpu x %.2f\n", i + 1, wall[i], cpu[i]);
    }
    w = median(wall, pairs);
    printf("%-44s wall x %.2f (bar %s), best %.2f, worst %.2f; cpu x %.2f; memory %ld MiB\n", argv[1], w,
           argv[2], wall[0], wall[pairs - 1], median(cpu, pairs), rss / 1024);
    return strcmp(argv[2], "none") != 0 && w > atof(argv[2]);
}
