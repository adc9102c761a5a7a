/** What all engines have in common that live in host processes on this machine. */
import type { Readiness } from '../common/contract.js';
import type { EnginePort } from './engine-port.js';
import { HostPool, type HostPoolOptions } from './host-pool.js';

export interface HostedOptions {
  name: string;
  title: string;
  languages: readonly string[];
  /** So many processes. */
  hosts: number;
}

export abstract class HostedEngine<In extends object, Out extends object> {
  readonly where = 'on-machine';
  readonly name: string;
  readonly title: string;
  readonly languages: readonly string[];
  protected readonly port: EnginePort<In, Out>;

  constructor(
    { name, title, languages, hosts }: HostedOptions,
    how: Pick<HostPoolOptions<In>, 'file' | 'args' | 'first'>,
  ) {
    this.name = name;
    this.title = title;
    this.languages = languages;
    this.port = new HostPool({ name, size: hosts, ...how });
  }

  readiness(): Readiness {
    return this.port.readiness();
  }

  warm(): Promise<void> {
    return this.port.warm();
  }

  close(): Promise<void> {
    return this.port.close();
  }

  /** Process ids of the hosts. */
  hostPids(): number[] {
    return this.port.pids();
  }
}
