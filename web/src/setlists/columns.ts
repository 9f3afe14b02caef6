/** The columns of the running order: chosen, grip, start, number, song, form, tempo, key, length, more. */
export const COLUMNS =
  "grid grid-cols-[16px_18px_44px_22px_minmax(0,1fr)_110px_88px_70px_46px_58px] items-center gap-[9px] px-[9px]";
