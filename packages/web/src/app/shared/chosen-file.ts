/** A file that a person chose, as Base64. */
export interface ChosenFile {
  readonly name: string;
  readonly content: string;
}

/** Reads what was chosen; null when nothing was. Rejects with a sentence. The same file may be chosen again afterwards. */
export function chosenFile(box: HTMLInputElement): Promise<ChosenFile | null> {
  const file = box.files?.[0];
  box.value = '';
  if (!file) return Promise.resolve(null);
  return new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve({ name: file.name, content: String(reader.result).replace(/^[^,]*,/, '') });
    reader.onerror = () => reject(new Error($localize`${file.name} can’t be read from this computer.`));
    reader.readAsDataURL(file);
  });
}
