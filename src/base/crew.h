/* SPDX-License-Identifier: Apache-2.0 */
/* Worker threads. Finished jobs are taken in the order they were given; one thread gives and takes. */
#ifndef OLV_BASE_CREW_H
#define OLV_BASE_CREW_H

struct crew;

/* `work` gets the number of its worker, from 0, and has the job to itself. At most `most` jobs are in
 * progress. NULL without memory or threads. */
struct crew *crew_new(unsigned workers, unsigned most, void (*work)(void *self, unsigned worker, void *job),
                      void *self);
/* Jobs given and not yet taken. */
unsigned crew_under_way(const struct crew *crew);
/* Gives a job, not NULL; fewer than `most` may be in progress. */
void crew_give(struct crew *crew, void *job);
/* Waits for the oldest job and takes it; NULL if there is none. */
void *crew_take(struct crew *crew);
/* Waits, on any thread, until a crew with one worker has done this many jobs. */
void crew_await(struct crew *crew, unsigned long jobs);
/* Waits for jobs in progress; they stay the caller's. */
void crew_free(struct crew *crew);

#endif
