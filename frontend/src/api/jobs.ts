import { api, got } from "./client";
import { jobs } from "./live";

const take = async (answer: ReturnType<typeof got<{ jobs: typeof jobs.value }>>) => {
  jobs.value = (await answer).jobs;
};

export const tryJobAgain = (job: number) => take(got(api.POST("/api/v1/jobs/{job}/again", { params: { path: { job } } })));
export const leaveJob = (job: number) => take(got(api.DELETE("/api/v1/jobs/{job}", { params: { path: { job } } })));
