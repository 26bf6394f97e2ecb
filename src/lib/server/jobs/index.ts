/** Long work: jobs people see and can cancel, carried out through a queue in PostgreSQL, one at a time in each server. */
export { cancelJob, endSilentJobs, listJobs, noteJob, readJob, type Job, type JobState, type JobToDo } from './job';
export { handleJobs, doJob, type JobHandler } from './work';
export { doEveryMinute, hereAndNow, isQueueRunning, keepTryingToStartJobs, queueJob, startJobs, stopJobs } from './queue';
export { onJobNews, stopJobNews } from './news';
export { nextMoments, type Schedule } from './moments';
