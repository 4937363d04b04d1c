/* SPDX-License-Identifier: Apache-2.0 */
/* Saves callers three questions: is there an observer, does it listen, what does it say. */
#include "olvido/observer.h"

void olv_observe_progress(const struct olv_observer *observer, struct olv_progress progress)
{
    if (observer && observer->progress)
        observer->progress(observer->self, &progress);
}

void olv_observe_trouble(const struct olv_observer *observer, struct olv_trouble trouble)
{
    if (observer && observer->trouble)
        observer->trouble(observer->self, &trouble);
}

void olv_observe_unreadable(const struct olv_observer *observer, const char *path, const char *what, int sys)
{
    olv_observe_trouble(observer, (struct olv_trouble){OLV_TROUBLE_UNREADABLE, path, what, sys});
}

bool olv_observe_interrupted(const struct olv_observer *observer)
{
    return observer && observer->is_interrupted && observer->is_interrupted(observer->self);
}
