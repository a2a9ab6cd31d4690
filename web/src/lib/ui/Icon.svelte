<script lang="ts" module>
  const paths = {
    gather: "M3 8h5V3h5v5h5v10H3zM8 8v4M13 8v4M3 13h15",
    fit: "M3 3h10v10H3zM8 8h10v10H8zM10.5 13h5M13 10.5v5",
    fly: "M3 4c7 0 3 9 8 9s2 5 8 5M3 2v4M19 16v4",
    mark: "M4 19C6 12 12 16 15 8M15 8V2l4 2-4 2M3 18h3v3H3z",
    finish: "M11 3a8 8 0 1 0 0 16a8 8 0 1 0 0-16M11 3v16M13 5v12M15 6v10M17 8v6",
    sound: "M3 9v4h3l5 4V5L6 9zM14 8c1.500 1.500 1.500 4.500 0 6M16.500 5.500c3 3 3 8 0 11",
    mute: "M3 9v4h3l5 4V5L6 9zM14 8.500l5 5M19 8.500l-5 5",
    render: "M2 6h11v9H2zM15 6v9M17.5 6v9M20 6v9",
    keys: "M2 6h17v10H2zM5 9h1M8 9h1M11 9h1M14 9h1M6 13h9",
    undo: "M7 5L3 9l4 4M3 9h8a4 4 0 0 1 0 8H8",
    redo: "M13 5l4 4-4 4M17 9H9a4 4 0 0 0 0 8h3",
    play: "M6 4l11 6.5L6 17z",
    pause: "M6 4v13M13 4v13",
    first: "M5 4v13M16 4L7 10.5l9 6.5z",
    last: "M16 4v13M5 4l9 6.5L5 17z",
    back: "M14 4l-8 6.5 8 6.5zM16.5 4v13",
    ahead: "M7 4l8 6.5L7 17zM4.5 4v13",
    loop: "M4 10a5 5 0 0 1 5-5h6M13 2l3 3-3 3M17 11a5 5 0 0 1-5 5H6M8 19l-3-3 3-3",
    grow: "M4 8.5V4h4.5M12.5 4H17v4.5M17 12.5V17h-4.5M8.5 17H4v-4.5",
    frame: "M3 6h14l-3 9H6zM10 8v5M7.5 10.5h5",
    plus: "M10 4v12M4 10h12",
    drop: "M10 3v9M6 8.5l4 4 4-4M3 16h14",
    down: "M5 8l5 5 5-5",
    left: "M12 5l-5 5 5 5",
    right: "M8 5l5 5-5 5",
    up: "M5 12l5-5 5 5",
    bob: "M4 2h13M10.5 2v6M7 10c0-2 7-2 7 0c0 3-2 6-3.5 9c-1.5-3-3.5-6-3.5-9z",
    tie: "M5 12a3 3 0 1 0 0.1 0M16 3a3 3 0 1 0 0.1 0M7.3 13L13.6 8",
    swap: "M4 7h11M12 4l3 3-3 3M17 14H6M9 11l-3 3 3 3",
    dropper: "M12 4l5 5M13.5 6.5L6 14l-2 3 3-2 7.5-7.5",
    letter: "M4 17L10 3l6 14M6 12h8",
    inset: "M3 4h14v10H3zM8.500 7l4.500 2-4.500 2zM10 14v3",
    outline: "M4 14L7 4l8 3 2 8-7 3z",
    pin: "M10 3v14M3 10h14M10 6a4 4 0 1 0 0 8a4 4 0 1 0 0-8",
    hand: "M10 3v14M3 10h14M10 3L8 5M10 3l2 2M10 17l-2-2M10 17l2-2M3 10l2-2M3 10l2 2M17 10l-2-2M17 10l-2 2",
    bin: "M4 6h12M8 6V4h4v2M6 6l1 11h6l1-11",
    copy: "M4 4h9v9H4zM7 16h9V7",
    check: "M4 10l4 4 8-9",
    close: "M5 5l10 10M15 5L5 15",
    eye: "M2 10c4-6 12-6 16 0c-4 6-12 6-16 0M10 8a2 2 0 1 0 0 4a2 2 0 1 0 0-4",
    span: "M3 6v8M17 6v8M3 10h14M6 7l-3 3 3 3M14 7l3 3-3 3",
    tilt: "M3 16h14M4 15L14 5M11 16a7 7 0 0 0-2-5",
    heading: "M10 3a7 7 0 1 0 0 14a7 7 0 1 0 0-14M10 10l4-4",
    roll: "M4 12a6.5 6.5 0 0 1 12 0M2 12h16M10 12V6",
    lens: "M3 5l7 11L17 5zM6 10h8",
    relief: "M2 17l6-11 4 6 2-3 5 8zM6.5 9l1.5 2 1.5-2",
    lamp: "M10 2v4M6 13c0-5 8-5 8 0zM8 16h4M3 18l3-2M17 18l-3-2",
    cloud: "M5 15a3.5 3.5 0 0 1 .5-7a5 5 0 0 1 9.5 1a3 3 0 0 1 0 6z",
    air: "M3 7h10M3 11h14M6 15h9",
    sun: "M10 6.5a4 4 0 1 0 0 8a4 4 0 1 0 0-8M10 2v2M10 17v2M2 10.5h2M16 10.5h2M4.5 5l1.4 1.4M14.3 14.8l1.4 1.4M15.7 5l-1.4 1.4M4.5 16l1.4-1.4",
    grade: "M4 16C9 16 11 4 16 4M4 4v12h12",
    vignette: "M3 5h14v10H3zM10 7a4.5 3 0 1 0 0 6a4.5 3 0 1 0 0-6",
    grain: "M5 5v.6M10 4v.6M15 6v.6M7 9v.6M13 10v.6M4 13v.6M9 14v.6M16 14.500v.6M11 7v.6",
    surface: "M3 4h11l3 3v10H3zM14 4v3h3M6 9h6M5 12h9M7 15h5",
    backdrop: "M6 4h9v7H6zM2 11l3-2M19 11l-3-2M2 11v3h17v-3M5 14v4M16 14v4",
    glow: "M10 7.5a3 3 0 1 0 0 6a3 3 0 1 0 0-6M10 4a6.500 6.500 0 0 0-6.500 6.500M10 17a6.500 6.500 0 0 0 6.500-6.500M16.500 4.500l1.500-1.500M4.500 16.500L3 18",
    glass: "M6 3c-3 4-3 11 0 15M15 3c3 4 3 11 0 15M6 3h9M6 18h9M9 6c-1.500 3-1.500 6 0 9",
    wear: "M6 3v7M6 13v5M14 5l1.500 1M10 9l.6.6M13 14c1-1 2-1 3 1M9 16l.6-.6M11 4v2",
    ends: "M3 5h6v11H3zM12 5h2v11h-2zM17 5v11",
    look: "M4 4h5v5H4zM12 4h5v5h-5zM4 12h5v5H4zM12 12h5v5h-5z",
    bars: "M3 4h14v3H3zM3 13h14v3H3z",
    moon: "M13 3a8 8 0 1 0 5 11a7 7 0 0 1-5-11z",
    shutter: "M10 3a7 7 0 1 0 0 14a7 7 0 1 0 0-14M10 3v7l5 5",
    hold: "M3 6v8M17 6v8M3 10h14",
  };
  export type IconName = keyof typeof paths;
</script>

<script lang="ts">
  let { name, size = 16, fill = false }: { name: IconName; size?: number; fill?: boolean } = $props();
</script>

<svg width={size} height={size} viewBox="0 0 21 21" aria-hidden="true" class:fill>
  <path d={paths[name]} />
</svg>

<style>
  path {
    fill: none;
    stroke: currentColor;
    stroke-width: 1.5;
    stroke-linecap: round;
    stroke-linejoin: round;
  }
  .fill path {
    fill: currentColor;
  }
</style>
