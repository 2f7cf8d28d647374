// A photo is made small on the phone: what a report shows, not what the camera took.
const MOST_PIXELS = 1600;
const QUALITY = 0.82;

export async function withSmallPhoto(form) {
  const photo = form.get("photo");
  if (!(photo instanceof File) || photo.size < 300_000 || typeof createImageBitmap !== "function") return form;
  try {
    const picture = await createImageBitmap(photo, { imageOrientation: "from-image" });
    const scale = Math.min(1, MOST_PIXELS / Math.max(picture.width, picture.height));
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [Math.round(picture.width * scale), Math.round(picture.height * scale)];
    canvas.getContext("2d").drawImage(picture, 0, 0, canvas.width, canvas.height);
    const small = await new Promise((resolve) => canvas.toBlob(resolve, "image/jpeg", QUALITY));
    if (small && small.size < photo.size) form.set("photo", new File([small], "photo.jpg", { type: "image/jpeg" }));
  } catch {
    // No picture this browser can draw: it is sent as it is, and the server says what is wrong with it.
  }
  return form;
}
