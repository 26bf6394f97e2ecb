/** Long work: jobs people see and can cancel, carried out through queues in PostgreSQL, of each lane one at a time in each server. */
export { cancelJob, listJobs, noteJob, readJob, type Job, type JobState, type JobToDo } from './job';
export { endSilentJobs, handleJobs, doJob, type JobEnd, type JobHandler, type JobTruth } from './work';
export { doEveryMinute, hereAndNow, isQueueRunning, keepTryingToStartJobs, startJob, startJobs, stopJobs } from './queue';
export { onJobNews, stopJobNews } from './news';
export { nextMoments, type Schedule } from './moments';
