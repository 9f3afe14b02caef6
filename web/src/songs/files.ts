/** Every file of a drop, folders walked through to the end, hidden files left out. */
export async function filesOf(dropped: DataTransfer): Promise<File[]> {
  const entries = [...dropped.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (!entries.length) return [...dropped.files];
  const found = await Promise.all(entries.map(walk));
  return found.flat().filter((file) => !file.name.startsWith("."));
}

async function walk(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) return [await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed))];
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const files: File[] = [];
  // A reader gives at most a hundred entries at a time, and an empty list at the end.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((done, failed) => reader.readEntries(done, failed));
    if (!some.length) return files;
    files.push(...(await Promise.all(some.map(walk))).flat());
  }
}
