export default function Desk() { return null; }
