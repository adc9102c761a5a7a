/** What is wrong and what to do, where it happened. */
import { CircleAlert } from 'lucide-react';
import { ServiceError, type Trouble } from '@verbalon/client';

export function Notice({ trouble, close }: { trouble: Trouble; close?: () => void }) {
  return (
    <div role="alert" className="alert border-error text-error bg-base-100 py-2">
      <CircleAlert size={20} aria-hidden />
      <span className="grow">
        <strong>{trouble.title}</strong>: {trouble.detail}.{' '}
        <span className="text-base-content">{trouble.remedy}</span>
      </span>
      {close && (
        <button className="btn btn-sm btn-ghost" onClick={close}>
          Close
        </button>
      )}
    </div>
  );
}

/** Any error as something that can be told. */
export function troubleOf(error: unknown): Trouble {
  if (error instanceof ServiceError) return error.problem;
  return {
    title: 'That did not work',
    detail: error instanceof Error ? error.message : String(error),
    remedy: 'Try again.',
  };
}
