// A stand-in for a player that is embedded from elsewhere: it plays nothing, and tells the page around it what it does.
const length = 40;
const bar = document.querySelector("progress");
let position = 0;
let timer = 0;

const say = (uc_player) => parent.postMessage({ uc_player, media: "shaping", title: "How we shape", position, duration: length }, "*");
const stop = () => {
  clearInterval(timer);
  timer = 0;
};
document.querySelector("#play").addEventListener("click", () => {
  if (timer) {
    stop();
    say("pause");
    return;
  }
  say("play");
  timer = setInterval(() => {
    position += 2;
    bar.value = position / length;
    say(position >= length ? "end" : "time");
    if (position >= length) {
      stop();
      position = 0;
    }
  }, 100);
});
