// The floor: machines as they stand.
import { follow } from "/static/rooms/things/machines/strips.js";

const strips = document.querySelector("#strips");
if (strips) follow(strips);
