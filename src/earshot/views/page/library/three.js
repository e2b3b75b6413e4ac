export {
  AmbientLight, BufferAttribute, BufferGeometry, CylinderGeometry, DirectionalLight, DoubleSide, Group, InstancedMesh, LineBasicMaterial,
  LineSegments, Matrix4, Mesh, MeshBasicMaterial, MeshLambertMaterial, PerspectiveCamera, Plane, Quaternion, Raycaster, Scene,
  Sphere, Vector2, Vector3, WebGLRenderer,
} from "three";
export { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
