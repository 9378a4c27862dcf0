import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { api } from '../api/client';
import type { OrderedFile, OrderedFiles, Wanted } from '../api/types';

/** How often is asked while something is on its way, and else, milliseconds. */
const OFTEN = 700;
const SELDOM = 15_000;

/** True while it waits or is worked at. */
export const isOnItsWay = (file: OrderedFile) => file.state === 'waiting' || file.state === 'running';

/** Files that were ordered; asked for again and again. */
export function useFiles() {
  return useQuery({
    queryKey: ['files'],
    queryFn: api.files,
    refetchInterval: (query) => (query.state.data?.files.some(isOnItsWay) ? OFTEN : SELDOM),
    retry: false,
  });
}

/** Where a file lies. */
export const contentOf = (id: string) => `/api/files/${id}/content`;

/** Files that this page ordered and is to save when they are there. */
const awaited = new Set<string>();

/** Saves a file as a link would. */
function save(file: OrderedFile): void {
  const link = document.createElement('a');
  link.href = contentOf(file.id);
  link.download = file.file;
  link.click();
}

/** Those of some files that are to be saved now; of none that is asked for twice. */
export function arrived(files: readonly OrderedFile[], expected: Set<string>): OrderedFile[] {
  const ended = files.filter((file) => expected.has(file.id) && !isOnItsWay(file));
  for (const file of ended) expected.delete(file.id);
  return ended.filter((file) => file.there);
}

/** Saves what this page ordered, wherever it is looked at meanwhile. */
export function useArrivals(): void {
  const files = useFiles().data?.files;
  useEffect(() => {
    if (files) arrived(files, awaited).forEach(save);
  }, [files]);
}

/** What can be done with files; the list is asked for anew afterwards. */
export function useFileActs() {
  const client = useQueryClient();
  const onSettled = () => client.invalidateQueries({ queryKey: ['files'] });
  const order = useMutation({
    mutationFn: ({ scene, wanted }: { scene: string; wanted: Wanted }) => api.orderFile(scene, wanted),
    onSuccess: ({ id }) => awaited.add(id),
    onSettled,
  });
  const stop = useMutation({ mutationFn: api.stopFile, onSettled });
  const again = useMutation({ mutationFn: api.orderAgain, onSuccess: (_, id) => awaited.add(id), onSettled });
  const forget = useMutation({
    mutationFn: api.forgetFile,
    // It is gone for whoever took it off, before the server says so.
    onMutate: (id) => client.setQueryData<OrderedFiles>(['files'], (known) => known && { ...known, files: known.files.filter((file) => file.id !== id) }),
    onSettled,
  });
  return { order, stop, again, forget };
}

/** So many bytes, as they are read best. */
export function size(bytes: number): string {
  if (bytes < 1e3) return `${bytes} bytes`;
  if (bytes < 1e6) return `${Number((bytes / 1e3).toPrecision(3))} kB`;
  return bytes < 1e9 ? `${Number((bytes / 1e6).toPrecision(3))} MB` : `${Number((bytes / 1e9).toPrecision(3))} GB`;
}

/** Roughly so long, in words. */
export function roughly(seconds: number): string {
  if (seconds < 1.5) return 'about a second';
  if (seconds < 20) return `about ${Math.round(seconds)} s`;
  if (seconds < 90) return `about ${Math.round(seconds / 5) * 5} s`;
  return seconds < 5400 ? `about ${Math.round(seconds / 60)} min` : `about ${Math.round(seconds / 360) / 10} h`;
}

/** When it was, today by the clock, else with the day. */
export function clock(at: string, now = new Date()): string {
  const then = new Date(at);
  const time = then.toLocaleTimeString([], { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' });
  return then.toDateString() === now.toDateString() ? time : `${then.toLocaleDateString()} ${time}`;
}

/** How far a file is, in words. */
export function howFar(file: OrderedFile, workers: number): string {
  switch (file.state) {
    case 'waiting':
      return workers > 0 ? 'waits for its turn' : 'waits: nobody works at files just now. Start zickzack work, or zickzack serve without --at-once 0.';
    case 'running': {
      const part = file.reached > 0 ? ` · ${Math.floor(file.reached * 100)} %` : '';
      const left = file.left == null ? '' : ` · ${roughly(file.left)} left`;
      return `${file.doing ?? 'begins'}${part}${left}`;
    }
    case 'done':
      return file.there ? `written${file.bytes == null ? '' : ` · ${size(file.bytes)}`}` : 'thrown away to make room for others: write it again';
    case 'failed':
      return file.failure ?? 'failed';
    default:
      return 'stopped';
  }
}
