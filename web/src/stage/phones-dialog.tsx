import { useTranslation } from "react-i18next";

import type { Joining, StageState } from "@/api/types";
import { usePlayers } from "@/api/queries";
import { RIGHTS } from "@/generated/core";
import { Dialog } from "@/ui/dialog";

interface Props {
  joining: Joining;
  last: StageState["last_press"];
  ask: (what: object) => void;
  onClose: () => void;
}

/** Who has joined the show by its code, what each phone may do, and who pressed last. */
export function PhonesDialog({ joining, last, ask, onClose }: Props) {
  const { t } = useTranslation();
  return (
    <Dialog open onOpenChange={onClose} title={t("phones.title")} about={t("phones.about")} wide>
      <div className="flex flex-wrap items-center gap-5">
        {joining.qr && (
          // The picture is made by our own server, of our own address.
          <div
            className="w-[150px] flex-none [&_svg]:h-auto [&_svg]:w-full"
            aria-hidden
            dangerouslySetInnerHTML={{ __html: joining.qr }}
          />
        )}
        <div className="min-w-0">
          <p className="small">{t("phones.code")}</p>
          <p className="text-[40px] leading-[46px] font-[750] tracking-[0.15em]" data-testid="code">
            {joining.code}
          </p>
          <p className="break-all">{joining.address ? joining.address.split("?")[0] : t("phones.noNetwork")}</p>
          <button type="button" className="btn mt-2" onClick={() => ask({ renew: true })}>
            {t("phones.renew")}
          </button>
        </div>
      </div>
      {joining.phones.length === 0 ? (
        <p className="mt-4 text-soft">{t("phones.none")}</p>
      ) : (
        <ul className="mt-4 flex max-h-[40vh] flex-col gap-2 overflow-auto" aria-label={t("phones.title")}>
          {joining.phones.map((phone) => (
            <Phone key={phone.id} phone={phone} ask={ask} />
          ))}
        </ul>
      )}
      {last && (
        <p className="small mt-3">{t("phones.last", { press: t(`hands.press.${last.press as "go"}`), by: last.by })}</p>
      )}
    </Dialog>
  );
}

function Phone({ phone, ask }: { phone: Joining["phones"][number]; ask: Props["ask"] }) {
  const { t } = useTranslation();
  const players = usePlayers().data ?? [];
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_230px_130px_auto] items-center gap-2">
      <span className="min-w-0 truncate">
        {phone.name} <small className="small">{t(phone.here ? "phones.here" : "phones.away")}</small>
      </span>
      <select
        className="field"
        aria-label={t("people.rightOf", { name: phone.name })}
        value={phone.right}
        onChange={(e) => ask({ phone: phone.id, right: e.target.value })}
      >
        {RIGHTS.map((right) => (
          <option key={right} value={right}>
            {t(`people.rights.${right}`)}
          </option>
        ))}
      </select>
      <select
        className="field"
        aria-label={t("phones.playerOf", { name: phone.name })}
        value={phone.player}
        onChange={(e) => ask({ phone: phone.id, player: e.target.value })}
      >
        <option value="">{t("phones.noPlayer")}</option>
        {players.map((p) => (
          <option key={p.id} value={p.id}>
            {p.name}
          </option>
        ))}
      </select>
      <button type="button" className="btn bad" onClick={() => ask({ out: phone.id })}>
        {t("phones.turnOut")}
      </button>
    </li>
  );
}
