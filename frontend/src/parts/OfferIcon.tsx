import {
  AppWindow,
  Box,
  Camera,
  CreditCard,
  Folder,
  Globe,
  Headphones,
  House,
  Keyboard,
  KeyRound,
  Laptop,
  type LucideIcon,
  Mail,
  Monitor,
  Move,
  Package,
  Plug,
  Printer,
  RadioTower,
  ScanBarcode,
  Shield,
  ShoppingBasket,
  Signpost,
  Smartphone,
  Tablet,
  User,
  Wifi,
  Wrench,
} from "lucide-react";

const ICONS: Record<string, LucideIcon> = {
  laptop: Laptop,
  monitor: Monitor,
  plug: Plug,
  keyboard: Keyboard,
  headset: Headphones,
  camera: Camera,
  phone: Smartphone,
  tablet: Tablet,
  printer: Printer,
  move: Move,
  repair: Wrench,
  radio: RadioTower,
  antenna: RadioTower,
  key: KeyRound,
  wifi: Wifi,
  mail: Mail,
  globe: Globe,
  card: CreditCard,
  folder: Folder,
  shield: Shield,
  app: AppWindow,
  till: ShoppingBasket,
  reader: ScanBarcode,
  sign: Signpost,
  box: Box,
  person: User,
  home: House,
};

export const ICON_NAMES = Object.keys(ICONS);

/** The picture of something that can be asked for. */
export function OfferIcon({ icon, size = 22 }: { icon: string; size?: number }) {
  const Drawn = ICONS[icon] ?? Package;
  return <Drawn size={size} strokeWidth={1.6} aria-hidden="true" className="shrink-0 text-sea" />;
}
