export interface Dropped {
  /** The folder the files lay in; empty where they lay in none, or in several. */
  folder: string;
  files: File[];
}

/** Every file of a drop, folders walked through to the end, hidden files left out. */
export async function filesOf(dropped: DataTransfer): Promise<Dropped> {
  const entries = [...dropped.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (!entries.length) return { folder: "", files: shown([...dropped.files]) };
  const found = await Promise.all(entries.map(walk));
  const only = entries.length === 1 ? entries[0] : undefined;
  return { folder: only?.isDirectory ? only.name : "", files: shown(found.flat()) };
}

/** The files of a folder picked in a dialog. */
export function filesIn(list: FileList | null): Dropped {
  const files = [...(list ?? [])];
  // Only a folder's files have a path; some browsers leave the property out for others.
  const tops = new Set(
    files.map((file) => ((file.webkitRelativePath as string | undefined) ?? "").split("/").slice(0, -1)[0] ?? ""),
  );
  return { folder: tops.size === 1 ? ([...tops][0] ?? "") : "", files: shown(files) };
}

/** In the order of their names, as a person would sort them. */
const shown = (files: File[]) =>
  files
    .filter((file) => !file.name.startsWith("."))
    .sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }));

async function walk(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile)
    return [await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed))];
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const files: File[] = [];
  // A reader gives at most a hundred entries at a time, and an empty list at the end.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((done, failed) => reader.readEntries(done, failed));
    if (!some.length) return files;
    files.push(...(await Promise.all(some.map(walk))).flat());
  }
}

export const isSound = (name: string) => /\.(wav|wave|aiff?|aifc|flac|mp3|ogg|oga|opus|rf64)$/i.test(name);
export const isZip = (name: string) => /\.zip$/i.test(name);
/** Lists of sections and tempo maps, which come beside stems. */
export const isOffer = (name: string) => /\.(midi?|smf|txt|tsv|lab)$/i.test(name);
