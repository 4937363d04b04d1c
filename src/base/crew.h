/* SPDX-License-Identifier: Apache-2.0 */
/* Threads that work on jobs. Finished jobs are taken in the order in which they were given; one thread gives
 * and takes. */
#ifndef OLV_BASE_CREW_H
#define OLV_BASE_CREW_H

struct crew;

/* `work` is called with the number of the worker, from 0, and belongs to no other thread meanwhile. At most
 * `most` jobs are under way. NULL without memory or threads. */
struct crew *crew_new(unsigned workers, unsigned most, void (*work)(void *self, unsigned worker, void *job),
                      void *self);
/* Jobs given and not taken yet. */
unsigned crew_under_way(const struct crew *crew);
/* Gives a job, which must not be NULL; fewer than `most` are under way. */
void crew_give(struct crew *crew, void *job);
/* The oldest job, when it is done; NULL where none is under way. */
void *crew_take(struct crew *crew);
/* Waits, in any thread, until so many of the jobs of a crew with one worker are done. */
void crew_await(struct crew *crew, unsigned long jobs);
/* Waits for the jobs under way, which remain the caller's. */
void crew_free(struct crew *crew);

#endif
