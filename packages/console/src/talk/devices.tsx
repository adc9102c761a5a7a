/** Which microphone and which loudspeaker; also in the middle of a talk. */
import { useEffect, useState } from 'react';
import type { DeviceChoice } from '@verbalon/client/browser';

function useDevices(): MediaDeviceInfo[] {
  const [devices, setDevices] = useState<MediaDeviceInfo[]>([]);
  useEffect(() => {
    const look = () => void navigator.mediaDevices?.enumerateDevices().then(setDevices);
    look();
    navigator.mediaDevices?.addEventListener('devicechange', look);
    return () => navigator.mediaDevices?.removeEventListener('devicechange', look);
  }, []);
  return devices;
}

export function Devices({
  devices,
  choose,
}: {
  devices: DeviceChoice;
  choose: (devices: DeviceChoice) => void;
}) {
  const all = useDevices();
  const canChooseOutput = 'setSinkId' in AudioContext.prototype;
  return (
    <div className="flex flex-wrap gap-2">
      <Choice
        label="Microphone"
        devices={all.filter(({ kind }) => kind === 'audioinput')}
        value={devices.input}
        choose={(input) => choose({ ...devices, input })}
      />
      {canChooseOutput && (
        <Choice
          label="Loudspeaker"
          devices={all.filter(({ kind }) => kind === 'audiooutput')}
          value={devices.output}
          choose={(output) => choose({ ...devices, output })}
        />
      )}
    </div>
  );
}

interface ChoiceProps {
  label: string;
  devices: MediaDeviceInfo[];
  value: string;
  choose: (id: string) => void;
}

function Choice({ label, devices, value, choose }: ChoiceProps) {
  // Before the microphone is allowed, devices have neither ids nor names.
  const known = devices.filter(({ deviceId }) => deviceId !== '' && deviceId !== 'default');
  return (
    <select
      className="select select-sm w-52"
      aria-label={label}
      value={value}
      onChange={(event) => choose(event.target.value)}
    >
      <option value="">{label}: default</option>
      {known.map(({ deviceId, label: name }, i) => (
        <option key={deviceId} value={deviceId}>
          {name || `${label} ${i + 1}`}
        </option>
      ))}
    </select>
  );
}
