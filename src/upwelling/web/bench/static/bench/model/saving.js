// Saves one state after the other, each as the hand left it: however slow an earlier save is, a later one is its own.
import { copyOf } from "./copies.js";

// Answers that say the settings themselves cannot be.
export const REFUSED = [400, 413, 422];

export class Saving {
  // send(body): the server's answer, or an error with its `response`. told: what the page does when a state was `saved`,
  // put `together` with another person's, `overtaken` by one, or `failed`; failed is told what to go back to, if at all.
  constructor(send, told) {
    this.send = send;
    this.told = told;
    this.done = Promise.resolve();
    // What the server took last, and what a save was called that it never saw.
    this.lastGood = null;
    this.unsaved = "";
    // How many saves wait for their turn or for an answer.
    this.waiting = 0;
  }
  // The settings as the server has them.
  knows(settings) {
    this.lastGood = copyOf(settings);
  }
  // version(): that of the history, asked when the save's turn comes.
  save(settings, label, version) {
    const sent = copyOf(settings);
    this.waiting += 1;
    this.done = this.done
      .then(() => this.one(sent, label, version))
      .finally(() => {
        this.waiting -= 1;
      });
    return this.done;
  }
  async one(sent, label, version) {
    try {
      const answer = await this.send({ settings: sent, base: this.lastGood, version: version(), label });
      this.unsaved = "";
      if (answer.merged.length) return this.told.together(answer, sent);
      this.lastGood = sent;
      return this.told.saved(answer);
    } catch (error) {
      const { status } = error.response || {};
      if (status === 409) return this.told.overtaken(await error.response.json());
      // Only what the server will not have is taken back; a session that ended or a full disk changes nothing here.
      const back = REFUSED.includes(status) ? this.lastGood : null;
      if (!back) this.unsaved = label;
      return this.told.failed(error, back && copyOf(back));
    }
  }
}
