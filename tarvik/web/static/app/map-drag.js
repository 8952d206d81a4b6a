// Fingers and the mouse on a map: the ground is moved and pinched, a point or a shelter is dragged.

const TAP_PX = 5; // moved less than this a pointer has tapped

// Until that pointer is lifted.
const follow = (pointer, move, end) => {
  const over = (event) => {
    if (event.pointerId !== pointer) return;
    window.removeEventListener("pointermove", move);
    window.removeEventListener("pointerup", over);
    window.removeEventListener("pointercancel", over);
    end(event);
  };
  window.addEventListener("pointermove", move);
  window.addEventListener("pointerup", over);
  window.addEventListener("pointercancel", over);
};

/**
 * `hands`: taken(target), the group that moves by itself or null; moves(group, dx, dy) and
 * drops(group, dx, dy), in pixels of the drawing; taps(event); rests(), whether nothing may be
 * dragged now.
 */
export const dragging = (map, hands) => {
  const fingers = new Map();
  let pinched = false;

  // Two fingers zoom about their middle.
  const pinch = (second) => {
    const two = () => {
      const [a, b] = fingers.values();
      return { a, b };
    };
    const middle = ({ a, b }) => ({
      clientX: (a.clientX + b.clientX) / 2,
      clientY: (a.clientY + b.clientY) / 2,
    });
    const apart = ({ a, b }) => Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY);
    let last = apart(two());
    follow(
      second,
      (event) => {
        if (!fingers.has(event.pointerId) || fingers.size < 2) return;
        fingers.set(event.pointerId, event);
        const both = two();
        map.zoom(last / Math.max(apart(both), 1), map.at(middle(both)));
        last = apart(both);
      },
      () => fingers.delete(second),
    );
  };

  map.box.addEventListener("pointerdown", (down) => {
    if (!map.svg) return;
    fingers.set(down.pointerId, down);
    pinched = fingers.size > 1;
    if (pinched) {
      pinch(down.pointerId);
      return;
    }
    const resting = hands.rests();
    const group = resting ? null : hands.taken(down.target);
    const [start, view] = [map.at(down), [...map.view]];
    if (!resting) {
      map.choose(down.target.closest(".item"));
      if (map.chosen) map.say(map.chosen.getAttribute("aria-label") ?? "");
    }
    let moved = false;
    const by = (event) => map.at(event).map((now, axis) => now - start[axis]);
    follow(
      down.pointerId,
      (event) => {
        if (event.pointerId !== down.pointerId || pinched) return;
        const [dx, dy] = [event.clientX - down.clientX, event.clientY - down.clientY];
        moved ||= Math.hypot(dx, dy) > TAP_PX;
        if (!moved) return;
        if (group) hands.moves(group, ...by(event));
        else map.pan(view, dx, dy);
      },
      (event) => {
        fingers.delete(down.pointerId);
        if (pinched || event.type === "pointercancel") return;
        if (!moved) hands.taps(event);
        else if (group) hands.drops(group, ...by(event));
      },
    );
  });
};
