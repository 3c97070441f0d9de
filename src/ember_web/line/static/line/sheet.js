// The sheet of a piece: its forms are the server's; what they say goes into the board's queue, and the sheet is asked
// for anew when it was taken.

const KEPT = 4000; // ms that the last verdict is shown while the next is asked for

export class Sheet {
  constructor(dialog, address, push) {
    this.dialog = dialog;
    this.address = address;
    this.push = push;
    this.cook = null;
    this.body = dialog.querySelector("#sheet-body");
    dialog.querySelector("#sheet-close").addEventListener("click", () => dialog.close());
    dialog.addEventListener("close", () => {
      this.cook = null;
    });
    this.body.addEventListener("submit", (e) => this.said(e));
  }

  open(cook) {
    this.cook = cook;
    this.body.replaceChildren();
    if (!this.dialog.open) this.dialog.showModal();
    this.fetch();
  }

  async fetch() {
    const cook = this.cook;
    if (!cook) return;
    const reply = await fetch(this.address.replace("/cook/", `/${cook}/`), { headers: { "X-Sheet": "1" } }).catch(
      () => null,
    );
    if (!reply?.ok || this.cook !== cook) return;
    const text = await reply.text();
    const found = new DOMParser().parseFromString(text, "text/html");
    this.body.replaceChildren(...found.body.childNodes);
    this.dialog.scrollTop = 0;
  }

  // a form of the sheet becomes an event; what needs the server to be made (a stage) is sent as the form it is
  said(e) {
    const form = e.target;
    const data = new FormData(form, e.submitter);
    const kind = data.get("kind");
    if (kind === "stage") {
      form.elements.then.value = ""; // back to this board
      return;
    }
    e.preventDefault();
    const number = (name) => Number(String(data.get(name)).replace(",", "."));
    const event = { cook: this.cook, kind };
    if (kind === "check") {
      const [check, answer, grey] = String(data.get("said")).split("|");
      const width = form.ownerDocument.querySelector('#sheet [name="width"]:checked');
      Object.assign(event, { check, width: width ? width.value : "untrained" });
      if (grey) event.grey = Number(grey);
      if (answer) event.answer = answer;
      else if (data.get("core_c")) event.core_c = this.celsius(number("core_c"));
      else return;
    } else if (kind === "undo") event.supersedes = data.get("supersedes");
    else if (kind === "medium") {
      if (!data.get("medium_c")) return;
      event.medium_c = this.celsius(number("medium_c"));
      if (data.get("read")) event.read = true;
    } else if (kind === "probe") {
      event.is = data.get("is");
      if (data.get("of")) event.of = data.get("of");
    }
    if (data.get("seconds")) event.seconds = number("seconds");
    this.push(event);
    this.body.setAttribute("aria-busy", "true");
    setTimeout(() => this.body.removeAttribute("aria-busy"), KEPT);
  }

  celsius(value) {
    return document.body.dataset.units?.startsWith("F") ? (value - 32) / 1.8 : value;
  }

  taken(events) {
    if (events.some((e) => e.cook === this.cook)) this.fetch();
  }
}
