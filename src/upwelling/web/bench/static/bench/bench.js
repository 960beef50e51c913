// The Bench: holds the settings, asks for previews while a hand moves, saves when it rests. Its parts lie in the files beside it.
import { post } from "../js/http.js";
import { adding } from "./adding.js";
import { compare } from "./compare.js";
import { comparing } from "./comparing.js";
import { controls } from "./controls.js";
import { curve } from "./curve.js";
import { firstPass } from "./first_pass.js";
import { following } from "./following.js";
import { fromPicture } from "./from_picture.js";
import { going } from "./going.js";
import { groups } from "./groups.js";
import { keys } from "./keys.js";
import { layers } from "./layers.js";
import { look } from "./look.js";
import { marked } from "./marked.js";
import { marks } from "./marks.js";
import { matching } from "./matching.js";
import { merged } from "./merged.js";
import { Layers, TRIMS } from "./model/layers.js";
import { REFUSED, Saving } from "./model/saving.js";
import { Steps } from "./model/steps.js";
import { motion } from "./motion.js";
import { ordering } from "./ordering.js";
import { presence } from "./presence.js";
import { outlining } from "./outlining.js";
import { picture } from "./picture.js";
import { Previews } from "./preview.js";
import { raw } from "./raw.js";
import { STAGES, reach } from "./reach.js";
import { reading } from "./reading.js";
import { region } from "./region.js";
import { remarks } from "./remarks.js";
import { rendering } from "./rendering.js";
import { riding } from "./riding.js";
import { room } from "./room.js";
import { scopePicks } from "./scope_picks.js";
import { shapes } from "./shapes.js";
import { solving } from "./solving.js";
import { steps } from "./steps.js";
import { together } from "./together.js";
import { tracks } from "./tracks.js";
import { viewing } from "./viewing.js";
import { where } from "./where.js";
import { zones } from "./zones.js";

const STEPS = [steps, adding, ordering, where, shapes, tracks, following, groups, curve, zones];
const EDITING = [controls, layers, raw, matching, marks, look, rendering, solving, fromPicture];
const SEEING = [compare, comparing, picture, region, scopePicks, motion, viewing, reading, room];
const GOING = [keys, reach, presence, together, riding, going, firstPass, marked, remarks, outlining];
const PARTS = [...STEPS, ...EDITING, ...SEEING, ...GOING];

document.addEventListener("alpine:init", () => {
  const core = {
    settings: {},
    correction: {},
    history: {},
    lines: {},
    values: {},
    trace: {},
    traceTitle: "Trace",
    numbers: [],
    regionNumbers: [],
    measured: "",
    fits: "",
    legend: [],
    screen: "",
    trouble: "",
    details: [],
    stage: "trim",
    own: null,

    init() {
      this.own = Alpine.$data(this.$root);
      this.leaving = new AbortController();
      this.data = JSON.parse(document.getElementById("bench-data").textContent);
      this.settings = this.data.settings;
      this.layers = new Layers(() => this.own.settings, this.data.layers, Alpine.raw);
      this.model = new Steps(() => this.own.settings, this.data);
      this.correction = this.data.correction;
      this.history = this.data.history;
      for (const stage of STAGES) {
        const line = this.$root.querySelector(`.stratum[data-stage=${stage}] p`);
        this.lines[stage] = line ? line.textContent : "";
        this.values[stage] = { a: "", b: "", c: "" };
      }
      this.works = this.data.settled && this.data.managed;
      if (!this.works) this.stage = "input";
      this.previews = new Previews(
        (head, body) => this.show(head, body),
        (error, body) => this.refused(error, body),
        (by) => this.work(by),
      );
      this.startSaving();
      this.keepTrying();
      this.bindControls(this.$root, "");
      for (const part of PARTS) if (part.start) part.start.call(this);
      this.syncControls();
      const hand = STAGES.find((stage) => stage === this.data.hand && stage !== this.stage);
      if (hand && this.works && this.$root.querySelector(`.pick[data-stage=${hand}]`)) this.takeStage(hand);
      else this.refresh(true);
    },

    get chosen() {
      return Object.fromEntries(STAGES.map((stage) => [stage, stage === this.stage]));
    },
    get strata() {
      return Object.fromEntries(
        STAGES.map((stage) => [stage, { chosen: stage === this.stage, off: this.isOff(stage) }]),
      );
    },
    isOff(stage) {
      const held = this.settings[stage];
      return held && held.on !== undefined ? !held.on : this.settings[stage + "_on"] === false;
    },
    // What undo and redo would do: in the shot's history, in the draft in hand, or to the layer in hand for all.
    get ends() {
      if (!this.handIs.shared) return this.history;
      const draft = this.layers.drafts[this.layers.hand] || { past: [], next: [] },
        last = (list) => (list.length ? list[list.length - 1].label : null),
        { undo, redo } = this.handHeld.history,
        forAll = (label) => label && `${label}, for ${this.handHeld.follow} shots`;
      if (draft.past.length || draft.next.length) return { undo: last(draft.past), redo: last(draft.next) };
      return { undo: forAll(undo), redo: forAll(redo) };
    },
    get canUndo() {
      return this.data.editable && this.ends.undo !== null;
    },
    get canRedo() {
      return this.data.editable && this.ends.redo !== null;
    },
    get undoTitle() {
      return this.ends.undo ? "Undo: " + this.ends.undo + " (Ctrl Z)" : "Nothing to undo";
    },
    get redoTitle() {
      return this.ends.redo ? "Redo: " + this.ends.redo + " (Ctrl Shift Z)" : "Nothing to redo";
    },
    get hasCorrection() {
      return this.correction.name !== "";
    },
    get ownDevelopment() {
      return this.settings.development !== null;
    },
    get developmentFrom() {
      return this.ownDevelopment ? "this shot's own" : "the camera's, until a control is moved";
    },
    get ownRendering() {
      return this.settings.rendering !== null;
    },
    get renderingFrom() {
      return this.ownRendering ? "this shot's own" : "the production's";
    },
    get renderingText() {
      return this.ownRendering
        ? "This shot has its own rendering."
        : "This shot follows the production's rules; moving a control makes the rendering its own.";
    },

    // Whether the server is this very machine: packing pictures for the way is then in vain.
    get isHere() {
      return ["localhost", "127.0.0.1", "[::1]"].includes(window.location.hostname);
    },

    // How much is being asked of the server now; the page's root says so.
    work(by) {
      this.asked = (this.asked || 0) + by;
      this.$root.dataset.busy = this.asked > 0 ? "yes" : "no";
    },

    // One sentence stands over the picture; an answer that comes late clears only a complaint of its own kind.
    // What a save was refused for stays, though the preview of the same settings fails too and the next one does not.
    complain(kind, sentence, details) {
      if (kind === "preview" && this.troubleKind === "save") return;
      this.trouble = sentence;
      this.troubleKind = kind;
      this.details = details || [];
    },
    settle(kind) {
      if (this.troubleKind === kind) this.dismiss();
    },
    dismiss() {
      this.trouble = "";
      this.troubleKind = "";
      this.details = [];
    },

    select(event) {
      this.takeStage(event.currentTarget.dataset.stage);
    },

    // --- saving ---------------------------------------------------------------------------------------------------
    startSaving() {
      const send = async (body) => (await post(this.data.urls.save, body)).json();
      this.saver = new Saving(send, {
        saved: (said) => {
          this.history = said.history;
          this.showThumbnail(said.thumbnail);
          this.renewRemarks();
          this.settle("save");
        },
        together: (said, sent) => this.putTogether(said, sent),
        overtaken: (said) => this.overtaken(said),
        failed: (error, back) => {
          if (back) this.goBack(back);
          this.complain("save", error.message);
        },
      });
      this.saver.knows(this.layers.forShot());
    },
    get saving() {
      return this.saver.done;
    },
    // Keys come to rest a little later than a pointer.
    saveSoon(label) {
      clearTimeout(this.soon);
      this.soon = setTimeout(() => this.save(label), 350);
    },
    // The hand came to rest: the shot is saved, or the state is one of the draft of the layer in hand.
    save(label) {
      clearTimeout(this.soon);
      this.putComing();
      if (!this.data.editable) return undefined;
      if (!this.handIs.shared) return this.saveShot(label);
      this.layers.note(label);
      return this.refresh(true);
    },
    saveShot(label) {
      clearTimeout(this.soon);
      this.putComing();
      if (!this.data.editable) return undefined;
      this.refresh(true);
      this.work(1);
      return this.saver.save(this.layers.forShot(), label, () => this.history.version).finally(() => this.work(-1));
    },
    // What could not be saved is tried again when the person comes back to the page, and told before it is left.
    keepTrying() {
      const { signal } = this.leaving;
      window.addEventListener("focus", () => this.saver.unsaved && this.saveShot(this.saver.unsaved), { signal });
      window.addEventListener("beforeunload", (event) => !this.mayLeave && event.preventDefault(), { signal });
    },
    // Someone else changed other steps meanwhile: both are in force now, and theirs come into this page.
    putTogether(said, sent) {
      const untouched = JSON.stringify(this.layers.forShot()) === JSON.stringify(sent);
      if (untouched) this.take(said);
      // The hand has gone on: its next save, of the version from before, is put together with what is in force now.
      else this.saver.knows(sent);
      const sentence = "Someone else changed this shot meanwhile, in other steps. Both changes are in force.";
      this.complain("together", sentence, said.merged);
    },
    // Someone else was first: their state is shown, ours is kept as a Mark.
    overtaken(said) {
      this.take(said);
      this.complain("overtaken", said.error, said.differences);
    },
    // The server refused the last settings: the page returns to those it took.
    goBack(settings) {
      this.dropComing();
      this.settings = settings;
      this.layers.renewed();
      this.rebuild();
      this.takeMethod();
      this.refresh(true);
    },
    take(said) {
      this.dropComing();
      this.forgetAhead();
      this.saver.knows(said.settings);
      this.settings = said.settings;
      this.layers.renewed();
      this.correction = said.correction;
      this.history = said.history;
      this.showThumbnail(said.thumbnail);
      this.dismiss();
      this.forgetSaid();
      this.rebuild();
      this.takeMethod();
      this.refresh(true);
    },
    async move(url, body) {
      await this.saving;
      this.work(1);
      try {
        this.take(await (await post(url, body)).json());
      } catch (error) {
        this.complain("save", error.message);
      } finally {
        this.work(-1);
      }
    },
    undo() {
      if (this.canUndo) this.moveBy("undo");
    },
    redo() {
      if (this.canRedo) this.moveBy("redo");
    },
    moveBy(way) {
      if (!this.handIs.shared) return this.move(this.data.urls[way]);
      const draft = this.layers.drafts[this.layers.hand];
      if (!draft || !(draft.past.length || draft.next.length)) return this.undoLayer(`${way}-layer`);
      this.layers[way]();
      this.rebuild();
      return this.refresh(true);
    },
    toggle(event) {
      const [name, within] = event.target.dataset.switch.split("."),
        { checked } = event.target;
      if (within) this.settings[name][within] = checked;
      else this.settings[name] = checked;
      this.saveShot(name.replace("_on", "").replace("_", " ") + (checked ? " on" : " off"));
    },
    inheritDevelopment() {
      this.settings.development = null;
      this.syncControls();
      this.save("camera's development");
    },

    // --- picture and numbers --------------------------------------------------------------------------------------
    wish(lossless) {
      return {
        lossless,
        raw: this.isHere,
        wide: lossless ? 0 : this.shownWide,
        point: this.point,
        frame: this.frame,
        scopes: this.scopes.slice(0, this.scopesInView),
        region: this.region,
        bars: this.bars,
        view: this.view,
        part: this.part,
        stage: this.stage,
        step: TRIMS.includes(this.stage) ? this.step : "",
        drafts: this.layers.draftsSeen(this.outputShown),
        curve: this.curve ? this.curve.spec.path : "",
        output: this.output,
        viewing: this.viewingSent,
        together: this.together,
      };
    },
    refresh(lossless) {
      this.previews.ask(this.data.urls.preview, {
        ...this.wish(lossless),
        settings: this.layers.seen(this.outputShown),
        untrimmed: this.held || this.compare === "untrimmed",
      });
      if (lossless) this.refreshOther();
    },
    refused(error, body) {
      // The picture stays that of the last frame that could be had, and so does the number.
      if (this.framed !== undefined && body.frame !== this.framed) this.standAt(this.framed);
      if (this.curve && body.curve && error.response && REFUSED.includes(error.response.status)) this.curve.refuse();
      this.complain("preview", error.message);
      this.putComing();
    },
    show(head, body) {
      this.framed = body.frame;
      this.paint(this.$refs.picture, head.bitmap);
      this.$refs.picture.dataset.fingerprint = head.fingerprint;
      this.shown = head.scopes;
      this.drawScopes();
      for (const row of head.column) this.lines[row.stage] = row.line;
      this.fits = head.fits;
      this.timecode = head.timecode;
      // What is worked out at rest only stays as it was while a hand moves.
      const named = head.numbers.map((row) => row.name);
      this.numbers = body.lossless
        ? head.numbers
        : [...head.numbers, ...this.numbers.filter((row) => !named.includes(row.name))];
      this.regionNumbers = head.region;
      this.measured = head.region.length
        ? `of the region, ${head.measured} of the picture`
        : head.measured === "100.0 %"
          ? "of the whole picture"
          : `of ${head.measured}, bars left out`;
      if (this.legend.length || head.legend.length) this.legend = head.legend;
      this.screen = head.screen;
      this.viewingSaid = head.viewing;
      if (head.tone) this.drawTone(head.tone);
      if (head.zones && this.zoneEditor) this.zoneEditor.show(head.zones);
      if (head.line && this.curve) this.curve.drawLine(head.line);
      if (head.tones) this.drawTones(head.tones, ...head.bins);
      if (head.says) this.stepSays(head.says);
      this.takeNow(head.now, body.lossless);
      if (head.trace) this.showTrace(head.trace);
      this.settle("preview");
      this.putComing();
      if (body.lossless) this.lookAhead();
    },
    paint(canvas, bitmap) {
      if (canvas.width !== bitmap.width || canvas.height !== bitmap.height) {
        canvas.width = bitmap.width;
        canvas.height = bitmap.height;
      }
      const context = canvas.getContext("2d");
      if (bitmap instanceof ImageData) return context.putImageData(bitmap, 0, 0);
      context.drawImage(bitmap, 0, 0);
      return bitmap.close();
    },
    showTrace(trace) {
      this.traceTitle = `Trace at ${trace.x}, ${trace.y}`;
      for (const stage of STAGES) {
        const [a, b, c] = trace[stage];
        Object.assign(this.values[stage], { a, b, c });
      }
      this.takeHue(trace.values.trim_hue);
      this.trace = this.printed(trace);
    },
  };

  Alpine.data("bench", () => merged([core, ...PARTS]));
});
