/* SPDX-License-Identifier: Apache-2.0 */
#include "run/flusher.h"

#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <stdlib.h>
#include <unistd.h>

enum { MOST_WAITING = 16 };

struct flusher {
    pthread_t thread;
    bool has_thread;
    pthread_mutex_t mutex;
    pthread_cond_t changed;
    /* Under the mutex. */
    struct waiting {
        uint64_t device;
        int fd; /* owned */
    } waiting[MOST_WAITING];
    unsigned count;
    bool is_busy, must_end;
    int error; /* errno of the first that failed */
};

/* Outside the mutex. */
static int sync_one(int fd)
{
    int error = olv_os_sync_all(fd) ? 0 : errno;
    close(fd);
    return error;
}

static void *work(void *self)
{
    struct flusher *f = self;
    pthread_mutex_lock(&f->mutex);
    while (f->count || !f->must_end) {
        int fd, error;
        if (f->count == 0) {
            pthread_cond_wait(&f->changed, &f->mutex);
            continue;
        }
        fd = f->waiting[--f->count].fd;
        f->is_busy = true;
        pthread_mutex_unlock(&f->mutex);
        error = sync_one(fd);
        pthread_mutex_lock(&f->mutex);
        f->error = f->error ? f->error : error;
        f->is_busy = false;
        pthread_cond_broadcast(&f->changed);
    }
    pthread_mutex_unlock(&f->mutex);
    return NULL;
}

struct flusher *flusher_new(void)
{
    struct flusher *f = calloc(1, sizeof *f);
    if (!f)
        return NULL;
    pthread_mutex_init(&f->mutex, NULL);
    pthread_cond_init(&f->changed, NULL);
    f->has_thread = pthread_create(&f->thread, NULL, work, f) == 0;
    return f;
}

/* False: it has to be done at once. */
static bool put_in_line(struct flusher *f, int fd, uint64_t device)
{
    for (unsigned i = 0; i < f->count; i++)
        if (f->waiting[i].device == device)
            return true; /* that one begins later than now, so it is enough */
    if (!f->has_thread || f->count == MOST_WAITING)
        return false;
    f->waiting[f->count].device = device;
    f->waiting[f->count].fd = fcntl(fd, F_DUPFD_CLOEXEC, 3);
    return f->waiting[f->count].fd >= 0 && ++f->count;
}

void flusher_add(struct flusher *f, int fd)
{
    struct olv_stat stat = {0};
    bool is_known = olv_os_stat(fd, "", &stat), is_in_line;
    int error = 0;
    pthread_mutex_lock(&f->mutex);
    is_in_line = is_known && put_in_line(f, fd, stat.device);
    pthread_cond_broadcast(&f->changed);
    pthread_mutex_unlock(&f->mutex);
    if (!is_in_line)
        error = olv_os_sync_all(fd) ? 0 : errno;
    pthread_mutex_lock(&f->mutex);
    f->error = f->error ? f->error : error;
    pthread_mutex_unlock(&f->mutex);
}

bool flusher_wait(struct flusher *f, struct olv_error *err)
{
    int error;
    pthread_mutex_lock(&f->mutex);
    while (f->count || f->is_busy)
        pthread_cond_wait(&f->changed, &f->mutex);
    error = f->error;
    pthread_mutex_unlock(&f->mutex);
    errno = error;
    return error == 0 || olv_fail_system(err, "", "cannot bring the trash to the disk");
}

void flusher_free(struct flusher *f)
{
    if (!f)
        return;
    pthread_mutex_lock(&f->mutex);
    f->must_end = true;
    pthread_cond_broadcast(&f->changed);
    pthread_mutex_unlock(&f->mutex);
    if (f->has_thread)
        pthread_join(f->thread, NULL);
    pthread_cond_destroy(&f->changed);
    pthread_mutex_destroy(&f->mutex);
    free(f);
}
