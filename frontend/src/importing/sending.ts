import { ProblemAnswer, type ProblemDocument, type Step, type Schemas } from "../client/client";

export type ImportOptions = Schemas["PreviewPart"]["options"];

/** What is sent with a file: how to read it, names and labels as text, steps to be recorded. */
export interface Ways {
  options: ImportOptions;
  names: string;
  steps: Step[];
  name: string;
}

const FIRST_BYTES = 4 * 1024 * 1024;
const TEXT = /\.(csv|tsv|txt|dat|tab)$/i;

function formOf(file: Blob, fileName: string, ways: Ways): FormData {
  const form = new FormData();
  form.append("file", file, fileName);
  form.append("options", JSON.stringify(ways.options));
  form.append("names", ways.names);
  for (const step of ways.steps) form.append("steps", JSON.stringify(step));
  if (ways.name) form.append("name", ways.name);
  return form;
}

/** The first whole lines of a large text file, which are enough for a preview; any other file as it is. */
async function beginningOf(file: File): Promise<Blob> {
  if (file.size <= FIRST_BYTES || !TEXT.test(file.name)) return file;
  const bytes = new Uint8Array(await file.slice(0, FIRST_BYTES).arrayBuffer());
  return file.slice(0, bytes.lastIndexOf(10) + 1 || FIRST_BYTES);
}

type Progress = (share: number) => void;

/** A look at a file: of large text files their first lines are enough. */
export async function sendPreview(file: File, ways: Ways): Promise<Schemas["PreviewPart"]> {
  return send("/api/previews", await beginningOf(file), file.name, { ...ways, name: "" });
}

/** A new project from a file. */
export function sendProject(file: File, ways: Ways, progress: Progress): Promise<Schemas["Created"]> {
  return send("/api/projects", file, file.name, ways, progress);
}

/** A new project from a capsule, or from the file of a project. */
export function sendBundle(file: File): Promise<Schemas["Created"]> {
  const form = new FormData();
  form.append("file", file, file.name);
  return post("/api/bundles", form);
}

/** What the next file would change, without changing anything. */
export function sendNextFilePreview(project: number, file: File, ways: Ways): Promise<Schemas["Replaced"]> {
  return send(`/api/projects/${project}/next-file-previews`, file, file.name, ways);
}

/** The next file in the place of the data. */
export function sendNextFile(
  project: number,
  file: File,
  ways: Ways,
  progress: Progress,
): Promise<Schemas["Replaced"]> {
  return send(`/api/projects/${project}/next-files`, file, file.name, ways, progress);
}

function send<T>(address: string, file: Blob, fileName: string, ways: Ways, progress?: Progress): Promise<T> {
  return post(address, formOf(file, fileName, ways), progress);
}

/** Sends a form and tells how much of it has arrived; multipart bodies are not JSON, so this is made by hand. */
function post<T>(address: string, form: FormData, progress?: Progress): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.upload.onprogress = (event) => progress?.(event.total ? event.loaded / event.total : 0);
    request.onerror = () => reject(new Error("The file could not be sent. Is the server still running?"));
    request.onload = () => {
      let answer: unknown;
      try {
        answer = JSON.parse(request.responseText);
      } catch {
        reject(new Error("The server's answer could not be read."));
        return;
      }
      if (request.status < 300) resolve(answer as T);
      else reject(new ProblemAnswer(answer as ProblemDocument));
    };
    request.send(form);
  });
}
