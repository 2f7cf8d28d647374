// Passkeys by the browser's own means: asked for, answered, sent; a browser without them shows no button.
const can = window.PublicKeyCredential && "parseCreationOptionsFromJSON" in PublicKeyCredential;

function token(element) {
  return element.closest("form, [data-passkey]").querySelector("input[name=csrf_token]").value;
}

async function asked(address, element) {
  const answer = await fetch(address, { method: "POST", body: new URLSearchParams({ csrf_token: token(element) }) });
  const told = await answer.json();
  if (!answer.ok) throw new Error(told.why ?? "that did not work: try once more");
  return told;
}

function bind(box, deed) {
  const button = box.querySelector("button");
  const problem = box.querySelector(".problem");
  box.hidden = false;
  button.addEventListener("click", async () => {
    button.disabled = true;
    problem.hidden = true;
    try {
      await deed(box);
    } catch (error) {
      problem.textContent = error.name === "NotAllowedError" ? "No passkey was given." : error.message;
      problem.hidden = false;
    }
    button.disabled = false;
  });
}

async function made(box) {
  const options = PublicKeyCredential.parseCreationOptionsFromJSON(await asked(box.dataset.passkeyNew, box));
  return JSON.stringify((await navigator.credentials.create({ publicKey: options })).toJSON());
}

async function send(address, fields) {
  const answer = await fetch(address, { method: "POST", body: new URLSearchParams(fields) });
  const told = await answer.json();
  if (!answer.ok) throw new Error(told.why ?? "that did not work: try once more");
  location.assign(told.to);
}

if (can) {
  for (const box of document.querySelectorAll("[data-passkey-new]")) {
    bind(box, async () => {
      const credential = await made(box);
      const to = box.dataset.passkeyKeep;
      if (to) return send(to, { csrf_token: token(box), credential });
      const form = box.closest("form");
      form.elements.credential.value = credential;
      form.submit();
    });
  }
  for (const box of document.querySelectorAll("[data-passkey-in]")) {
    bind(box, async () => {
      const options = PublicKeyCredential.parseRequestOptionsFromJSON(await asked(box.dataset.passkeyIn, box));
      const credential = JSON.stringify((await navigator.credentials.get({ publicKey: options })).toJSON());
      const next = box.closest("form").elements.next?.value ?? "";
      await send(box.dataset.passkeyKeep, { csrf_token: token(box), credential, next });
    });
  }
}
