/* SPDX-License-Identifier: Apache-2.0 */
/* Preloaded (LD_PRELOAD): lets everything believe that it is another day. The clock, and all times of files
 * that are asked for or set, are moved by CLOCK_AHEAD seconds; what is on the disk has the real ones. The
 * clock alone is wrong by CLOCK_WRONG seconds more. Only this library reads these variables. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <pthread.h>
#include <stdbool.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <sys/time.h>
#include <sys/timex.h>
#include <time.h>
#include <utime.h>

static time_t seconds_of(const char *variable)
{
    const char *text = getenv(variable);
    return text ? (time_t)atoll(text) : 0;
}

/* How far the times of files are moved. */
static time_t ahead(void)
{
    static time_t seconds;
    static bool is_known;
    if (!is_known)
        seconds = seconds_of("CLOCK_AHEAD");
    is_known = true;
    return seconds;
}

static time_t clock_ahead(void)
{
    static time_t seconds;
    static bool is_known;
    if (!is_known)
        seconds = ahead() + seconds_of("CLOCK_WRONG");
    is_known = true;
    return seconds;
}

/* The real function; ISO C has no conversion of the pointer. */
#define REAL(result, name, ...)                                                                              \
    static result (*real)(__VA_ARGS__);                                                                      \
    if (!real)                                                                                               \
    *(void **)(&real) = dlsym(RTLD_NEXT, #name)

/* ---- the clock ---- */

int clock_gettime(clockid_t clock, struct timespec *out)
{
    int status;
    REAL(int, clock_gettime, clockid_t, struct timespec *);
    status = real(clock, out);
    if (status == 0 && (clock == CLOCK_REALTIME || clock == CLOCK_REALTIME_COARSE || clock == CLOCK_TAI))
        out->tv_sec += clock_ahead();
    return status;
}

time_t time(time_t *out)
{
    struct timespec now;
    clock_gettime(CLOCK_REALTIME, &now);
    if (out)
        *out = now.tv_sec;
    return now.tv_sec;
}

int gettimeofday(struct timeval *restrict out, void *restrict zone)
{
    struct timespec now;
    (void)zone;
    clock_gettime(CLOCK_REALTIME, &now);
    *out = (struct timeval){now.tv_sec, now.tv_nsec / 1000};
    return 0;
}

/* Whether something keeps it right: by CLOCK_SYNCHRONISED ("yes", "no") if that is set. */
int adjtimex(struct timex *t)
{
    const char *text = getenv("CLOCK_SYNCHRONISED");
    int state;
    REAL(int, adjtimex, struct timex *);
    state = real(t);
    if (!text || state < 0)
        return state;
    t->status = *text == 'y' ? t->status & ~STA_UNSYNC : t->status | STA_UNSYNC;
    return *text == 'y' ? TIME_OK : TIME_ERROR;
}

/* Waits until an instant of the moved clock. */
int pthread_cond_timedwait(pthread_cond_t *restrict cond, pthread_mutex_t *restrict mutex,
                           const struct timespec *restrict until)
{
    struct timespec real_until = {until->tv_sec - clock_ahead(), until->tv_nsec};
    REAL(int, pthread_cond_timedwait, pthread_cond_t *, pthread_mutex_t *, const struct timespec *);
    return real(cond, mutex, &real_until);
}

/* ---- times of files, as they are asked for ---- */

static void move_stat(struct stat *st)
{
    st->st_atim.tv_sec += ahead();
    st->st_mtim.tv_sec += ahead();
    st->st_ctim.tv_sec += ahead();
}

#define STAT(name, type, parameters, ...)                                                                    \
    int name parameters                                                                                      \
    {                                                                                                        \
        int status;                                                                                          \
        static int(*real) parameters;                                                                        \
        if (!real)                                                                                           \
            *(void **)(&real) = dlsym(RTLD_NEXT, #name);                                                     \
        status = real(__VA_ARGS__);                                                                          \
        if (status == 0)                                                                                     \
            move_stat((struct stat *)out);                                                                   \
        return status;                                                                                       \
    }
STAT(stat, struct stat, (const char *restrict path, struct stat *restrict out), path, out)
STAT(lstat, struct stat, (const char *restrict path, struct stat *restrict out), path, out)
STAT(fstat, struct stat, (int fd, struct stat *out), fd, out)
STAT(fstatat, struct stat, (int dir, const char *restrict path, struct stat *restrict out, int flags), dir,
     path, out, flags)
STAT(stat64, struct stat64, (const char *restrict path, struct stat64 *restrict out), path, out)
STAT(lstat64, struct stat64, (const char *restrict path, struct stat64 *restrict out), path, out)
STAT(fstat64, struct stat64, (int fd, struct stat64 *out), fd, out)
STAT(fstatat64, struct stat64, (int dir, const char *restrict path, struct stat64 *restrict out, int flags),
     dir, path, out, flags)

int statx(int dir, const char *restrict path, int flags, unsigned mask, struct statx *restrict out)
{
    struct statx_timestamp *times[] = {&out->stx_atime, &out->stx_mtime, &out->stx_ctime, &out->stx_btime};
    static const unsigned known[] = {STATX_ATIME, STATX_MTIME, STATX_CTIME, STATX_BTIME};
    int status;
    REAL(int, statx, int, const char *, int, unsigned, struct statx *);
    status = real(dir, path, flags, mask, out);
    for (int i = 0; status == 0 && i < 4; i++)
        times[i]->tv_sec += out->stx_mask & known[i] ? ahead() : 0;
    return status;
}

/* ---- times of files, as they are set ---- */

static const struct timespec *moved_back(const struct timespec times[2], struct timespec out[2])
{
    if (!times)
        return NULL;
    for (int i = 0; i < 2; i++) {
        out[i] = times[i];
        if (times[i].tv_nsec != UTIME_NOW && times[i].tv_nsec != UTIME_OMIT)
            out[i].tv_sec -= ahead();
    }
    return out;
}

int utimensat(int dir, const char *path, const struct timespec times[2], int flags)
{
    struct timespec moved[2];
    REAL(int, utimensat, int, const char *, const struct timespec *, int);
    return real(dir, path, moved_back(times, moved), flags);
}

int futimens(int fd, const struct timespec times[2])
{
    struct timespec moved[2];
    REAL(int, futimens, int, const struct timespec *);
    return real(fd, moved_back(times, moved));
}

static struct timespec of_microseconds(struct timeval t)
{
    return (struct timespec){t.tv_sec, t.tv_usec * 1000};
}

int utimes(const char *path, const struct timeval times[2])
{
    struct timespec exact[2];
    if (!times)
        return utimensat(AT_FDCWD, path, NULL, 0);
    exact[0] = of_microseconds(times[0]);
    exact[1] = of_microseconds(times[1]);
    return utimensat(AT_FDCWD, path, exact, 0);
}

int utime(const char *path, const struct utimbuf *times)
{
    struct timespec exact[2];
    if (!times)
        return utimensat(AT_FDCWD, path, NULL, 0);
    exact[0] = (struct timespec){times->actime, 0};
    exact[1] = (struct timespec){times->modtime, 0};
    return utimensat(AT_FDCWD, path, exact, 0);
}
