/** The worklet scope, which TypeScript's DOM library leaves out. */
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}
declare function registerProcessor(name: string, processor: new () => AudioWorkletProcessor): void;
declare const currentFrame: number;
