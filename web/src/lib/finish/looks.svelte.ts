import { api, sent, told, type OfferedLook, type OfferedTable } from "../api/client";
import { session } from "../film/session.svelte";

/** The looks and tables of colours that can be chosen. */
class Looks {
  all = $state.raw<OfferedLook[]>([]);
  tables = $state.raw<OfferedTable[]>([]);

  async load(): Promise<void> {
    await session.guarded(async () => {
      this.all = await told(api.GET("/api/looks"));
      this.tables = await told(api.GET("/api/tables"));
    }, false);
  }

  /** Save the film's finish by a name; whether it was. */
  async save(name: string): Promise<boolean> {
    let saved = false;
    await session.guarded(async () => {
      const saving = told(api.POST("/api/looks", { body: { film: session.id, state: session.state, name } }));
      await session.whileOpen(saving.then(async () => (this.all = await told(api.GET("/api/looks")))));
      saved = true;
    });
    return saved;
  }

  async remove(key: string): Promise<void> {
    await session.guarded(async () => {
      await told(api.DELETE("/api/looks/{key}", { params: { path: { key } } }));
      this.all = await told(api.GET("/api/looks"));
    });
  }

  async takeIn(file: File): Promise<void> {
    await session.guarded(async () => {
      await sent("/api/looks/files", {}, file);
      this.all = await told(api.GET("/api/looks"));
    });
  }

  /** The grade that brings a frame near to a picture of another scene. */
  async match(file: File, frame: number): Promise<{ numbers: Record<string, number> } | null> {
    let found: { numbers: Record<string, number> } | null = null;
    const query = { film: session.id, state: session.state, frame: `${frame}` };
    await session.guarded(async () => {
      found = await session.whileOpen(sent("/api/looks/match", query, file));
    });
    return found;
  }

  /** Bring a table of colours; its key. */
  async bringTable(file: File): Promise<string | null> {
    let key: string | null = null;
    await session.guarded(async () => {
      const bringing = sent<OfferedTable>("/api/tables", {}, file);
      await session.whileOpen(bringing.then(async () => (this.tables = await told(api.GET("/api/tables")))));
      key = (await bringing).key;
    });
    return key;
  }
}
export const looks = new Looks();
