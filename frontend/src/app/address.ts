/** The address names what is open, as #/pocket/station/find: back and forward go through it, and a link opens it. */
import { toast } from "./toasts";
import { openPocket } from "./edits";
import { usePocket } from "./pocket";
import { type Station, STATIONS } from "./stations";
import { useView } from "./view";

interface Place {
  pocket: string;
  station: Station | null;
  source: string | null;
}

export function placeOf(hash: string): Place | null {
  const [pocket, station, source] = hash.replace(/^#\/?/, "").split("/").map(decodeURIComponent);
  if (!pocket) return null;
  return {
    pocket,
    station: STATIONS.find(({ key }) => key === station)?.key ?? null,
    source: source ?? null,
  };
}

export function addressOf({ pocket, station, source }: Place): string {
  return `#/${[pocket, station, source]
    .filter((part) => part !== null)
    .map((part) => encodeURIComponent(part))
    .join("/")}`;
}

function here(): string | null {
  const { station, source } = useView.getState();
  const open = usePocket.getState().open;
  return open && addressOf({ pocket: open.id, station, source });
}

/** Keep the address at what is shown, and what is shown at the address. */
export function followAddress(): () => void {
  // While an address is followed, what it opens is no step of its own.
  let going = false;
  function keep() {
    const now = here();
    if (going || now === null || now === window.location.hash) return;
    const first = !window.location.hash;
    window.history[first ? "replaceState" : "pushState"](null, "", now);
  }
  async function go() {
    const place = placeOf(window.location.hash);
    if (!place) return;
    going = true;
    try {
      if (place.pocket !== usePocket.getState().open?.id) await openPocket(place.pocket);
      const sources = usePocket.getState().open?.pocket.sources ?? {};
      const view = useView.getState();
      if (place.station && place.station !== view.station) view.look({ station: place.station });
      if (place.source && place.source in sources && place.source !== view.source)
        view.look({ source: place.source, cuts: [], selection: null, cursor: 0, found: null });
    } catch (error) {
      toast({ title: "That pocket could not be opened", text: (error as Error).message, tone: "error" });
    } finally {
      going = false;
      const now = here();
      if (now) window.history.replaceState(null, "", now);
    }
  }
  // A link was opened: what it names comes before what was open last.
  if (placeOf(window.location.hash)) void go();
  else keep();
  const stops = [useView.subscribe(keep), usePocket.subscribe(keep)];
  const moved = () => void go();
  window.addEventListener("popstate", moved);
  return () => {
    stops.forEach((stop) => stop());
    window.removeEventListener("popstate", moved);
  };
}
