export {
  AmbientLight, BufferAttribute, BufferGeometry, DirectionalLight, DoubleSide, Group, LineBasicMaterial,
  LineSegments, Mesh, MeshBasicMaterial, MeshLambertMaterial, PerspectiveCamera, Plane, Raycaster, Scene, Sphere,
  Vector2, Vector3, WebGLRenderer,
} from "three";
export { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
