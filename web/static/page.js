// What every page runs; each module says what it needs before itself.
import "./live.js";
import "./unsent.js";
import "./keys.js";
import "./rail.js";
import "./swipe.js";
import "./clock.js";
import "./waiting.js";
import "./grid.js";
import "./map.js";
import "./edit.js";
import "./ticks.js";
import "./brush.js";
import "./zoom.js";
import "./copy.js";
import "./typed.js";
import "./zones.js";
import "./choose.js";
