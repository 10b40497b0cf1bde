import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, ask, type Schemas } from "../../app/server";

export type PlannedMeeting = {
  n: number;
  of: number;
  date: string;
  weekday: string;
  start: string;
  end: string;
  /** The time that was meant, where the server says it. */
  clock?: string;
  minutes: number;
  instructor: string | null;
  room: string | null;
  warnings: string[];
};
export type Planned = {
  meetings: PlannedMeeting[];
  hours: string;
  first: string | null;
  last: string | null;
  weeks: number;
  dropped: { date: string; why: string }[];
  warnings: string[];
};
export type Quoted = {
  lines: { label: string; amount: string; why: string; quantity: number }[];
  taxes: { name: string; amount: string; included: boolean }[];
  total: string;
  next_change: { at: string; total: string } | null;
};
export type PlannedInstallments = {
  installments: { n: number; due: string; amount: string; why: string }[];
  due_now: string;
  due_later: string;
};

/** What a calculator of the server says to a document; null while the document is not complete yet. */
export function useCalculator<T>(
  name: "schedule" | "quote" | "plan",
  document: Record<string, unknown> | null,
) {
  return useQuery({
    queryKey: ["calc", name, document],
    queryFn: async () =>
      (await ask(
        api.POST("/api/v1/calc/{name}", {
          params: { path: { name } },
          body: document!,
        }),
      )) as T,
    enabled: document !== null,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });
}

/** The dates a form gives with the center's closed days, and what they clash with; null while there is none. */
export function usePlanned(form: Schemas["DatesCommand"] | null) {
  return useQuery({
    queryKey: ["planned", form],
    queryFn: () => ask(api.POST("/api/v1/schedule/plan", { body: form! })),
    enabled: form !== null,
    placeholderData: keepPreviousData,
  });
}
